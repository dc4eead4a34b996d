"""The whole run, that of the browser too, on as many processes as there are cores; ends with one line that counts it all."""

import argparse
import os
import sys

import django


def main() -> int:
    django.setup()
    from tests.runner import Counting

    parser = argparse.ArgumentParser(description=__doc__)
    Counting.add_arguments(parser)
    parser.add_argument("labels", nargs="*")
    # one process more than cores: some tests wait, on a server that comes back or for a page
    parser.set_defaults(parallel=(os.cpu_count() or 2) + 1)
    options = vars(parser.parse_args())
    labels = options.pop("labels") or ["tests"]
    runner = Counting(verbosity=1, interactive=False, **options)
    bad = runner.run_tests(labels)
    passed, failed = getattr(runner, "told", (0, 1))
    print(f"Tests: {passed} passed, {failed} failed")
    return 1 if bad or failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main())
