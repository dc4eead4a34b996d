"""The whole run: everything that needs no browser in parallel, then the browser; ends with one line that counts both."""

import os
import re
import subprocess
import sys

LINE = re.compile(r"^told (\d+) (\d+)$", re.M)


def part(args: list[str]) -> tuple[int, int, int]:
    """Runs a part in its own process: (exit status, passed, failed)."""
    code = (
        "import sys, django; django.setup(); from django.conf import settings; from django.test.utils import get_runner;"
        "import argparse; R = get_runner(settings); p = argparse.ArgumentParser(); R.add_arguments(p);"
        "p.add_argument('labels', nargs='*'); o = vars(p.parse_args(sys.argv[1:])); labels = o.pop('labels') or ['tests'];"
        "r = R(verbosity=1, interactive=False, **o); bad = r.run_tests(labels); print('told', *getattr(r, 'told', (0, 1)));"
        "sys.exit(bool(bad))"
    )
    done = subprocess.run([sys.executable, "-W", "error", "-c", code, *args], stdout=subprocess.PIPE, text=True, check=False)
    found = LINE.findall(done.stdout)
    print(LINE.sub("", done.stdout).strip())
    passed, failed = map(int, found[-1]) if found else (0, 1)
    return done.returncode, passed, failed


def main() -> int:
    args = sys.argv[1:]
    runs = []
    without = "--exclude-tag" in args
    labels = [a for a in args if a not in ("--exclude-tag", "browser")]
    runs.append(part(["--exclude-tag", "browser", "--parallel", str(os.cpu_count() or 2), *labels]))
    if not without:
        runs.append(part(["--tag", "browser", "--parallel", str(min(2, os.cpu_count() or 2)), *labels]))
    passed, failed = sum(r[1] for r in runs), sum(r[2] for r in runs)
    print(f"Tests: {passed} passed, {failed} failed")
    return 1 if failed or not passed or any(r[0] for r in runs) else 0


if __name__ == "__main__":
    sys.exit(main())
