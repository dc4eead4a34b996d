"""The demo mill's yard: receipts, surveys, a few stones and a look."""

from datetime import timedelta

from desk.log.actions import write
from desk.log.models import Kind

RECEIPTS = {
    "larch-round": ((13, 330), (11, 320), (9, 330), (7, 340), (5, 330), (3, 300), (1, 240)),
    "larch-sawmill": ((7, 170), (5, 150), (4, 160), (2, 150), (1, 110)),
    "alder": ((71, 800), (9, 180), (2, 120)),
}
SURVEYS = {"larch-round": 1880.0, "larch-sawmill": 640.0, "alder": 985.0}
STONES = ((5.2, "stone"), (4.1, "metal"), (3.6, "stone"), (2.3, "stone"), (1.4, "metal"), (0.1, "stone"))


def build_yard(people, mill, now) -> None:
    """The ledger in the order of time."""
    rows = [(now - timedelta(days=d), key, "receipt", t) for key, kept in RECEIPTS.items() for d, t in kept]
    rows += [(now.replace(hour=6, minute=5), key, "survey", t) for key, t in SURVEYS.items()]
    for at, key, status, t in sorted(rows, key=lambda r: r[0]):
        says = f"{mill.piles[key].name}: {t:g} t OD {'came in' if status == 'receipt' else 'by survey'}"
        write(kind=Kind.EVENT, subject=f"pile.{key}", by=people["tk"], now=at, says=says, value=float(t), status=status)
    for days, what in STONES:
        words = "stones in the trap" if what == "stone" else "metal detector trip"
        write(
            kind=Kind.EVENT,
            subject="feed.K.larch.chips",
            by=people["tk"],
            now=now - timedelta(days=days),
            says=f"Larch chips: {words}",
            status=what,
        )
    write(
        kind=Kind.EVENT,
        subject="feed.K.larch.chips",
        by=people["tk"],
        now=now - timedelta(minutes=70),
        says="Larch chips: an even mat fills the washer or feeder",
        status="look.even",
        data={"does": "Loaded as it should be."},
    )
