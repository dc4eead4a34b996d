"""Quantiles and probabilities from SciPy's special functions, imported at the first one that is asked for."""

import math


def student_quantile(p: float, freedom: float) -> float:
    """The value below which a share `p` (0 to 1) of Student's t with `freedom` degrees of freedom (above 0) lies."""
    from scipy.special import stdtrit

    return float(stdtrit(freedom, p))


def normal_share(low: float, high: float) -> float:
    """Chance, 0 to 1, that a standard normal value lies between two."""
    return 0.5 * (math.erf(high / math.sqrt(2.0)) - math.erf(low / math.sqrt(2.0)))


def poisson_at_most(k: float, mean: float) -> float:
    """The probability that a Poisson count of the given mean (at least 0) is at most `k`."""
    from scipy.special import pdtr

    return float(pdtr(k, mean))


def normal_quantile(p: float) -> float:
    """The value below which a share `p` (0 to 1) of a standard normal lies."""
    from scipy.special import ndtri

    return float(ndtri(p))


def chi_square_quantile(p: float, freedom: float) -> float:
    """The value below which a share `p` (0 to 1) of chi-square with `freedom` degrees of freedom (above 0) lies."""
    from scipy.special import chdtri

    return float(chdtri(freedom, 1.0 - p))
