"""The desk's commands, one after the other in one process: a line of arguments in, its status and words out, as JSON."""

import io
import json
import sys

import django
from django.core.management import CommandError, call_command
from django.db import connections


def run(args: list[str]) -> tuple[int, str]:
    said = io.StringIO()
    try:
        call_command(*args, stdout=said, stderr=said)
    except CommandError as refusal:
        return refusal.returncode, f"{said.getvalue()}CommandError: {refusal}"
    except SystemExit as end:
        return int(end.code or 0), said.getvalue()
    finally:
        connections.close_all()  # the next may put another file in place
    return 0, said.getvalue()


if __name__ == "__main__":
    django.setup()
    for line in sys.stdin:
        print(json.dumps(run(json.loads(line))), flush=True)
