"""The whole run, that of the browser too, on as many processes as there are cores; ends with one line that counts it all.

Before it stands how long the run took, and what a million additions took of a core meanwhile: cores that are shared with others
give less, and runs are compared by the one over the other.
"""

import argparse
import os
import subprocess
import sys
import time

import django

# a few additions now and then, by the time for which a core was had
PACE = """
import time
while True:
    time.sleep(5)
    begun, total = time.process_time(), 0
    for i in range(200_000):
        total += i
    print(5.0 * (time.process_time() - begun), flush=True)
"""


def pace_of(additions: subprocess.Popen) -> str:
    """What was timed till now, in words; the timing ends."""
    additions.terminate()
    took = [float(row) for row in additions.communicate()[0].split()]
    return f"a million additions took {sum(took) / len(took):.3f} s of a core" if took else "no additions were timed"


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
    runner, begun = Counting(verbosity=1, interactive=False, **options), time.monotonic()
    additions = subprocess.Popen([sys.executable, "-S", "-c", PACE], stdout=subprocess.PIPE, text=True)
    try:
        bad = runner.run_tests(labels)
    finally:
        pace = pace_of(additions)
    passed, failed = getattr(runner, "told", (0, 1))
    print(f"The run took {time.monotonic() - begun:.0f} s; meanwhile {pace}")
    print(f"Tests: {passed} passed, {failed} failed")
    return 1 if bad or failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main())
