"""Files of readings (CSV: tag, at, value): taken once they are whole, line by line, piece by piece, so that they survive a
crash.

Every line is kept, refused with its reason, or named as not read. A file that fails is set aside; the next one is taken.
"""

import os
import shutil
import time
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db import DatabaseError

from core.instruments.intake import Reason, Verdict
from desk.instruments.models import Delivery
from desk.intake.actions import Outcome, Raw, add_to, judge_rows, keep_rows, known_signals
from desk.intake.form import FIRST_LINES, LINE_MOST, FileForm, form_of
from desk.kit.text import plain
from desk.kit.writing import Trouble, trouble_of, writing

PIECE = 5000
MOST_BYTES = 200_000_000
SETTLED_S = 5.0  # a file that has not grown for so long is whole
COLUMNS_MOST = 200
OPEN_END_S = 30.0  # longer where its last line has no end: somebody may still be writing
GROWS_FOR = timedelta(minutes=30)
UNFINISHED = (".part", ".tmp", ".filepart", ".crdownload")


def folder(name: str = "") -> Path:
    result = Path(settings.DATA) / "drop" / name
    result.mkdir(parents=True, exist_ok=True, mode=0o700)
    return result


def open_delivery(*, path: Path, name: str, by, now, history: bool) -> Delivery:
    """A delivery that waits for the worker; the file is moved where nothing else looks for it."""
    with writing():
        delivery = Delivery.objects.create(
            door="file", name=plain(name)[:120], by=by, made_at=now, history=history, total_bytes=path.stat().st_size
        )
        kept = folder("taken") / f"{delivery.pk}.csv"
        delivery.path = str(kept)
        delivery.save(update_fields=["path"])
        shutil.move(path, kept)
    return delivery


@dataclass
class _Seen:
    size: int
    since: float


_seen: dict[str, _Seen] = {}


def settled(path: Path, clock: float) -> bool:
    """Whether a dropped file is whole: it has not grown for five seconds, or for thirty where its last line has no end."""
    result = path.stat()
    seen = _seen.get(path.name)
    if seen is None or seen.size != result.st_size:
        # a file that was renamed into its place is old already when it is first seen
        age = max(0.0, time.time() - max(result.st_mtime, result.st_ctime))
        seen = _seen[path.name] = _Seen(result.st_size, clock - age)
    return clock - seen.since >= (SETTLED_S if _ends(path, result.st_size) else OPEN_END_S)


def _ends(path: Path, size: int) -> bool:
    if not size:
        return False
    with open(path, "rb") as source:
        source.seek(-1, os.SEEK_END)
        return source.read(1) in (b"\n", b"\r")


def waiting() -> list[str]:
    """Names of the files in the drop folder that are not taken yet."""
    return sorted(p.name for p in folder().iterdir() if p.is_file() and _counts(p))


def _counts(path: Path) -> bool:
    return not path.name.startswith((".", "~")) and not path.name.lower().endswith(UNFINISHED)


def dropped(now, clock: float | None = None) -> list[Delivery]:
    """Files of the drop folder that are whole, each as a delivery; what cannot be moved waits for the next round."""
    clock = time.monotonic() if clock is None else clock
    names = waiting()
    for name in set(_seen) - set(names):
        del _seen[name]
    made = []
    for name in names:
        path = folder() / name
        try:
            if path.is_symlink() or not path.name.lower().endswith(".csv"):
                continue
            if settled(path, clock):
                made.append(open_delivery(path=path, name=name, by=None, now=now, history=name.startswith("history")))
        except FileNotFoundError:
            continue
    return made


def _read_lines(delivery: Delivery) -> tuple[list[tuple[str | None, int]], int]:
    """The next lines of a file (None for one that is no UTF-8 or too long), and the place after them."""
    result: list[tuple[str | None, int]] = []
    with open(delivery.path, "rb") as source:
        source.seek(delivery.done_bytes)
        for _ in range(PIECE):
            line = source.readline(LINE_MOST)
            if not line:
                break
            long = len(line) == LINE_MOST and not line.endswith(b"\n")
            while line and len(line) >= LINE_MOST and not line.endswith(b"\n"):
                line = source.readline(1 << 20) or b"\n"  # the rest of an endless line is passed over
                if line.endswith(b"\n"):
                    break
            text = None
            if not long:
                try:
                    text = line.decode("utf-8-sig" if not delivery.line and not result else "utf-8").rstrip("\r\n")
                except UnicodeDecodeError:
                    text = None
            result.append((text, len(line)))
        return result, source.tell()


def _form(delivery: Delivery) -> FileForm:
    """The form of a delivery's file, from its beginning. Raises: ValueError in words for a file of another alphabet."""
    with open(delivery.path, "rb") as source:
        start = source.read(FIRST_LINES * LINE_MOST)
    if start[:2] in (b"\xff\xfe", b"\xfe\xff"):
        raise ValueError("is UTF-16; save it as CSV in UTF-8")
    lines = start.decode("utf-8-sig", "replace").splitlines()[:FIRST_LINES]
    form = form_of([line[:LINE_MOST] for line in lines])
    if lines and (wide := lines[0].count(form.separator) + 1) > COLUMNS_MOST:
        raise ValueError(f"has {wide} columns; it must have tag, at, value and at most {COLUMNS_MOST - 3} others")
    return form


def _rows(lines, first: int, form: FileForm) -> list[Raw]:
    result = []
    for i, (text, _) in enumerate(lines):
        if text is None:
            result.append(Raw(first + i, "", "", "", "a line that is no UTF-8 or longer than 4096 bytes", Reason.MALFORMED))
        elif text.strip() and not (form.header and first + i == 1):
            cells = form.cells(text)
            tag, when, value = cells or ("", "", "")
            result.append(Raw(first + i, tag, when, value, plain(text), None if cells else Reason.MALFORMED))
    return result


def piece(delivery_id: int, now) -> Delivery:
    """Take the next piece of a file. Its lines are read and judged first; rows and place in the file are kept together."""
    delivery = Delivery.objects.get(pk=delivery_id)
    if delivery.wanted == "stop":
        with writing():
            Delivery.objects.filter(pk=delivery_id).update(status="stopped")
        delivery.refresh_from_db()
        return delivery
    try:
        form = _form(delivery)
        lines, place = _read_lines(delivery)
        judged = judge_rows(_rows(lines, delivery.line + 1, form), known_signals(), now=now, history=delivery.history)
    except (OSError, ValueError) as error:
        return set_aside(delivery, str(getattr(error, "strerror", None) or error))
    try:
        with writing():
            delivery = Delivery.objects.get(pk=delivery_id)
            add_to(delivery, keep_rows(judged) if judged else Outcome())
            delivery.line, delivery.done_bytes = delivery.line + len(lines), place
            delivery.status = "done" if len(lines) < PIECE else "running"
            delivery.assumed, delivery.taken_at = form.assumed[:120], now
            delivery.total_bytes = max(delivery.total_bytes, place)
            delivery.save()
    except DatabaseError as error:
        if trouble_of(error) in (Trouble.BUSY, Trouble.FULL):
            raise  # the file waits where it stands
        return set_aside(delivery, f"its rows could not be kept: {error}")
    return delivery


def set_aside(delivery: Delivery, why: str) -> Delivery:
    """A delivery that cannot go on: its file goes to drop/failed, what was not read of it is named."""
    path = Path(delivery.path)
    if path.exists():
        place = folder("failed") / path.name
        shutil.move(path, place)
        delivery.path = str(place)
    with writing():
        delivery.refresh_from_db(fields=["kept", "flagged", "refused", "reasons", "line"])
        delivery.status = "failed"
        delivery.reasons["file"] = plain(why)[:200]
        delivery.not_read = f"lines from {delivery.line + 1} on: {plain(why)}"[:120]
        delivery.save()
    return delivery


def grown(now) -> None:
    """A file that grew after it was taken to its end goes on: nothing that was written late is lost."""
    recent = Delivery.objects.filter(door="file", status="done", taken_at__gte=now - GROWS_FOR)
    for pk, path, done in recent.values_list("pk", "path", "done_bytes"):
        try:
            size = Path(path).stat().st_size
        except OSError:
            continue
        if size > done:
            with writing():
                Delivery.objects.filter(pk=pk).update(status="waiting", total_bytes=size)


def work(now, clock: float | None = None) -> bool:
    """One step of the worker: whole files are opened, the oldest living delivery gets its next piece. Whether there was
    work."""
    dropped(now, clock)
    delivery = Delivery.objects.filter(door="file", status__in=("waiting", "running")).order_by("id").first()
    if delivery is None:
        grown(now)
        return False
    try:
        piece(delivery.pk, now)
    except DatabaseError:
        raise
    except Exception as failure:  # noqa: BLE001  (one file never stops the others)
        set_aside(delivery, f"{type(failure).__name__}: {failure}")
    return True


__all__ = [
    "MOST_BYTES",
    "PIECE",
    "Verdict",
    "dropped",
    "folder",
    "grown",
    "open_delivery",
    "piece",
    "settled",
    "waiting",
    "work",
]
