"""Files of readings (CSV: tag, at, value): taken piece by piece, so that they can be stopped, gone on with, and survive a crash."""

import csv
import shutil
from pathlib import Path

from django.conf import settings
from django.db import transaction

from desk.instruments.models import Delivery
from desk.intake.actions import Outcome, Raw, add_to, take

PIECE = 5000
MOST_BYTES = 200_000_000
HEADER = ["tag", "at", "value"]


def folder(name: str = "") -> Path:
    found = Path(settings.DATA) / "drop" / name
    found.mkdir(parents=True, exist_ok=True)
    return found


def open_delivery(*, path: Path, name: str, by, now, history: bool) -> Delivery:
    """A delivery that waits for the worker; the file is moved where nothing else writes to it."""
    delivery = Delivery.objects.create(
        door="file", name=name[:120], by=by, made_at=now, history=history, total_bytes=path.stat().st_size
    )
    kept = folder("taken") / f"{delivery.pk}.csv"
    shutil.move(path, kept)
    delivery.path = str(kept)
    delivery.save(update_fields=["path"])
    return delivery


def dropped(now) -> list[Delivery]:
    """Files that were put into the drop folder, each as a delivery."""
    return [
        open_delivery(path=p, name=p.name, by=None, now=now, history=p.name.startswith("history"))
        for p in sorted(folder().glob("*.csv"))
    ]


def _rows(lines: list[str], first: int) -> list[Raw]:
    found = []
    for i, cells in enumerate(csv.reader(lines)):
        if not cells:
            continue
        whole = ",".join(cells)
        tag, when, value = (c.strip() for c in cells) if len(cells) == 3 else ("", "", "")
        found.append(Raw(first + i, tag, when, value, whole))
    return found


@transaction.atomic
def piece(delivery_id: int, now) -> Delivery:
    """Take the next piece of a file. Rows and place in the file are kept together, or not at all."""
    delivery = Delivery.objects.select_for_update().get(pk=delivery_id)
    if delivery.wanted == "stop":
        delivery.status = "stopped"
        delivery.save(update_fields=["status"])
        return delivery
    try:
        with open(delivery.path, "rb") as source:
            source.seek(delivery.done_bytes)
            chunk = [line for _ in range(PIECE) if (line := source.readline(4096))]
            place = source.tell()
    except OSError as error:
        delivery.status = "failed"
        delivery.reasons["file"] = str(error.strerror)
        delivery.save()
        return delivery
    lines = [line.decode("utf-8-sig" if not delivery.line else "utf-8", "replace") for line in chunk]
    first = delivery.line + 1
    if not delivery.line and lines and [c.strip().lower() for c in lines[0].split(",")] == HEADER:
        lines, first = lines[1:], 2
    out = take(_rows(lines, first), now=now, history=delivery.history) if lines else Outcome()
    add_to(delivery, out)
    delivery.line, delivery.done_bytes = delivery.line + len(chunk), place
    delivery.status = "done" if len(chunk) < PIECE else "running"
    delivery.save()
    return delivery


def work(now) -> bool:
    """One step of the worker: new files are opened, the oldest living delivery gets its next piece. Whether there was work."""
    dropped(now)
    delivery = Delivery.objects.filter(door="file", status__in=("waiting", "running")).order_by("id").first()
    if delivery is None:
        return False
    piece(delivery.pk, now)
    return True
