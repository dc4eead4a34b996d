"""What is kept with a note: files within limits, by their content's own hash, and a drawing."""

import hashlib
from dataclasses import dataclass

from core.errors import ImpossibleInput
from core.picture import bare
from core.sketch import Stroke, path, strokes
from desk.kit.refused import FieldRefused
from desk.kit.text import plain
from desk.kit.writing import writing
from desk.log.models import Attachment

MOST_FILES = 4
MOST_BYTES = 3_000_000
BEGINS = {"png": b"\x89PNG\r\n\x1a\n", "jpeg": b"\xff\xd8\xff", "pdf": b"%PDF-"}
MIME = {"png": "image/png", "jpeg": "image/jpeg", "pdf": "application/pdf", "text": "text/plain; charset=utf-8"}
PICTURES = ("png", "jpeg")
ALLOWED = "a picture (PNG, JPEG), a PDF or plain text"


class FileRefused(FieldRefused):
    """Why a file cannot be kept so."""


@dataclass(frozen=True)
class Given:
    """A file as it was sent, looked at: what it is by its own first bytes, never by its name."""

    name: str
    kind: str
    body: bytes

    @property
    def told(self) -> dict:
        """What the record says of it; its hash binds the content into the record's chain."""
        return {"name": self.name, "kind": self.kind, "bytes": len(self.body), "sha256": hashlib.sha256(self.body).hexdigest()}


def kind_of(body: bytes) -> str:
    """What a file is by its first bytes; text where it reads as such; empty for anything else."""
    for kind, begins in BEGINS.items():
        if body.startswith(begins):
            return kind
    try:
        text = body.decode("utf-8")
    except UnicodeDecodeError:
        return ""
    return "text" if body and not any(ord(c) < 32 and c not in "\t\r\n" for c in text) else ""


def looked_at(uploads) -> list[Given]:
    """The files of a form, each within its limits. Raises: FileRefused naming the file."""
    if len(uploads) > MOST_FILES:
        raise FileRefused("files", f"Files are {len(uploads)}; a note keeps at most {MOST_FILES}.")
    made = []
    for upload in uploads:
        name = plain(upload.name.replace("\\", "/").rpartition("/")[2])[:80] or "file"
        if upload.size > MOST_BYTES:
            most = MOST_BYTES // 1_000_000
            raise FileRefused("files", f"File {name} is {upload.size / 1e6:.1f} MB; it must be at most {most} MB.")
        body = upload.read()
        kind = kind_of(body)
        if not kind:
            raise FileRefused("files", f"File {name} is {'empty' if not body else 'of another kind'}; it must be {ALLOWED}.")
        if kind == "jpeg":
            try:
                body = bare(body)
            except ImpossibleInput as refusal:
                raise FileRefused("files", f"File {name} {refusal.problems[0].text}; send it whole.") from None
        made.append(Given(name, kind, body))
    return made


def drawn(text: str) -> tuple[Stroke, ...]:
    """The drawing of a form. Raises: FileRefused."""
    try:
        return strokes(text)
    except ImpossibleInput as refusal:
        raise FileRefused("drawing", "; ".join(f"{p.field} {p.text}." for p in refusal.problems)) from refusal


@writing()
def keep(files: list[Given], drawing: tuple[Stroke, ...]) -> dict:
    """Keep the contents that are not there yet; what the record says of them. Called within the record's own writing."""
    for f in files:
        told = f.told
        if not Attachment.objects.filter(sha256=told["sha256"]).exists():
            Attachment.objects.create(sha256=told["sha256"], body=f.body)
    data: dict = {}
    if files:
        data["files"] = [f.told for f in files]
    if drawing:
        data["drawing"] = [[list(p) for p in s] for s in drawing]
    return data


def paths(data: dict) -> list[str]:
    """The drawing of a record as paths of SVG."""
    return [path(tuple((int(x), int(y)) for x, y in s)) for s in data.get("drawing", ())]


def beside(data: dict) -> str:
    """What comes with a note, in words: with a drawing and 2 files."""
    parts = ["a drawing"] if data.get("drawing") else []
    if n := len(data.get("files", ())):
        parts.append(f"{n} file{'s' if n > 1 else ''}")
    return f"with {' and '.join(parts)}" if parts else ""


def body_of(told: dict) -> bytes | None:
    """The content of a file that a record tells of; None where it is not as it was kept."""
    kept = Attachment.objects.filter(sha256=told["sha256"]).first()
    if kept is None or hashlib.sha256(bytes(kept.body)).hexdigest() != told["sha256"]:
        return None
    return bytes(kept.body)
