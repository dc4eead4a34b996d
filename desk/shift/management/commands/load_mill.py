"""manage.py load_mill FILE: put a mill document into force as the next version, or say everything that is wrong with it."""

import json
from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from desk.mill.clock import mill_now
from desk.mill.models import MillVersion
from desk.mill.setup import differences, problems


class Command(BaseCommand):
    help = "Show what a mill document (JSON) would change, and put it into force with --yes. --export writes the one in force."

    def add_arguments(self, parser):
        parser.add_argument("file")
        parser.add_argument("--note", default="loaded at the console by an administrator")
        parser.add_argument("--yes", action="store_true", help="put it into force; without it only the changes are shown")
        parser.add_argument("--export", action="store_true", help="write the document in force to FILE")

    def handle(self, *args, file, note, yes, export, **options):
        in_force = MillVersion.objects.first()
        if export:
            if in_force is None:
                raise CommandError("no mill is set up")
            Path(file).write_text(json.dumps(in_force.document, ensure_ascii=False, indent=1), encoding="utf-8")
            self.stdout.write(f"Version {in_force.pk} is in {file}.")
            return
        try:
            document = json.loads(Path(file).read_text(encoding="utf-8-sig"))
        except (OSError, ValueError) as error:
            raise CommandError(f"{file}: {error}") from None
        result = problems(document, now=mill_now())
        if result:
            raise CommandError("nothing was changed\n" + "\n".join(f"{p.field} {p.text}" for p in result))
        for d in differences(in_force.document if in_force else {}, document) if in_force else []:
            self.stdout.write(f"{d.place}: {d.before} -> {d.after}")
        if yes or in_force is None:
            version = MillVersion.objects.create(document=document, made_at=mill_now(), note=note)
            self.stdout.write(f"{document['name']} is in force as version {version.pk}.")
        else:
            self.stdout.write("Nothing was changed; --yes puts it into force.")
