"""Inner loops of the line, solved and through time, compiled when they are first used and kept for the next start.

What is compiled is plain arithmetic over arrays; it gives what the same lines give as ordinary Python. The launcher keeps it by
a hash of these sources, since a compiled function holds what it calls: without the launcher clear __pycache__ after a change.
"""

from collections.abc import Callable
from typing import Any, TypeVar, cast

from numba import njit

Function = TypeVar("Function", bound=Callable[..., Any])


def compiled(function: Function) -> Function:
    """The same function, compiled; what was compiled is kept for the next start wherever there is a place to keep it."""
    try:
        return cast(Function, njit(cache=True, error_model="numpy")(function))
    except RuntimeError:  # nowhere to keep it: compiled at each start
        return cast(Function, njit(error_model="numpy")(function))


def plain(function: Function) -> Function:
    """The function as it was written, for arguments of other kinds than those it is compiled for."""
    return cast(Function, getattr(function, "py_func", function))
