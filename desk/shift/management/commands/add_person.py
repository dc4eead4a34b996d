"""manage.py add_person: a person at the console; the PIN is asked for, never given on the command line."""

import getpass
import sys

from django.core.management.base import BaseCommand, CommandError
from django.db import DatabaseError

from desk.mill.clock import mill_now
from desk.people.models import Role
from desk.shift.people_actions import Refused, add


class Command(BaseCommand):
    help = "Add a person: initials and role; the PIN is asked for. Without a terminal it is read as one line."
    requires_system_checks: list[str] = []

    def add_arguments(self, parser):
        parser.add_argument("initials", help="such as J.D.")
        parser.add_argument("role", choices=Role.values)
        parser.add_argument("--post", default="", help="fibre line, stock prep")

    def handle(self, *args, initials, role, post, **options):
        try:
            if sys.stdin.isatty():
                pin = getpass.getpass("PIN: ")
                if pin != getpass.getpass("PIN, again: "):
                    raise CommandError("the two PINs are not alike; nobody was added")
            else:
                pin = sys.stdin.readline().rstrip("\n")
            if not pin:
                raise CommandError("PIN is empty; nobody was added")
            made = add(initials=initials, role=role, post=post, works="", by=None, now=mill_now(), pin=pin)
        except Refused as refusal:
            raise CommandError(str(refusal)) from None
        except DatabaseError as failure:
            raise CommandError(f"the database took nothing: {failure}") from None
        self.stdout.write(f"{made.person.signed} is added and signs in as {made.person.username}.")
