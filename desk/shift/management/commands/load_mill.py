"""manage.py load_mill FILE: put a mill document into force as the next version, or say everything that is wrong with it."""

import json

from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from core.errors import ImpossibleInput
from core.line.mill import Running, default_feeds, network, read_mill
from core.line.steady import solve
from desk.mill.models import MillVersion


class Command(BaseCommand):
    help = "Load a mill document (JSON) as the next version of the set-up."

    def add_arguments(self, parser):
        parser.add_argument("file")
        parser.add_argument("--note", default="loaded from a file")

    def handle(self, *args, file, note, **options):
        try:
            with open(file, encoding="utf-8") as handle:
                document = json.load(handle)
        except (OSError, json.JSONDecodeError) as error:
            raise CommandError(f"{file}: {error}") from None
        try:
            mill = read_mill(document)
            gives = dict.fromkeys(mill.sources, 1.0)
            solve(network(mill, Running(feeds=default_feeds(mill), gives=gives, filler_t_h=0.5)))
        except ImpossibleInput as refusal:
            raise CommandError("\n".join(f"{p.field} {p.text}" for p in refusal.problems)) from None
        version = MillVersion.objects.create(document=document, made_at=timezone.now(), note=note)
        self.stdout.write(f"{mill.name} is in force as version {version.pk}.")
