"""Who may do what: the one table that pages, tests and help read (shift practice, section 5.5).

A cell is "yes", a word that narrows it (said on the page, kept by the rule that it names), or empty: the role may not.
"""

from dataclasses import dataclass
from typing import Final

ROLES: Final = ("operator", "lab", "lead", "engineer", "maintenance", "safety", "trainee", "auditor", "admin")
YES: Final = "yes"


@dataclass(frozen=True)
class Right:
    """One act: its name in code, in a refusal ("Releasing a lot is for ...") and in the table, and the cell of each role."""

    act: str
    doing: str
    row: str
    cells: dict[str, str]

    @property
    def roles(self) -> frozenset[str]:
        return frozenset(self.cells)

    @property
    def line(self) -> tuple[str, ...]:
        """The cells in the order of ROLES; empty where the role may not."""
        return tuple(self.cells.get(role, "") for role in ROLES)


def _right(act: str, doing: str, row: str, *yes: str, **words: str) -> Right:
    cells = dict.fromkeys(yes, YES) | words
    return Right(act, doing, row, {role: cells[role] for role in ROLES if role in cells})


OP, LAB, LEAD, ENG, MAINT, SAFE, AUDIT, ADMIN = (
    "operator",
    "lab",
    "lead",
    "engineer",
    "maintenance",
    "safety",
    "auditor",
    "admin",
)

TABLE: Final = (
    _right("record", "Entering a sample", "enter a sample or a reading", OP, LAB, LEAD, ENG),
    _right("look", "Keeping a look", "keep a look, walk a round", OP, LAB, LEAD, ENG),
    _right("ease", "Doubling the interval of a sample", "double a sample's interval, set it back", LEAD),
    _right("readings", "Typing a reading", "type in a meter's reading", OP, LAB, LEAD, ENG),
    _right("calibrate", "Keeping a calibration", "keep a meter's calibration", LEAD, ENG, MAINT),
    _right("link", "Connecting the plant", "connect the plant's servers, map their nodes", ENG, ADMIN),
    _right("note", "Writing a note", "write a note", OP, LAB, LEAD, ENG, MAINT, SAFE),
    _right("correct_own", "Correcting a record", "correct an own entry", LAB, LEAD, ENG, operator="same shift"),
    _right("correct_other", "Correcting another's record", "correct another's entry", LEAD, ENG, lab="own test"),
    _right("move", "Taking, altering or refusing a move", "take, alter, refuse, undo a move", OP, LEAD),
    _right("propose", "Proposing a move", "propose a move", OP, LEAD, ENG),
    _right("stop", "Entering a stop or a reduced rate", "enter a stop or a reduced rate", OP, LEAD, ENG, MAINT),
    _right("cook", "Charging, following and blowing a cook", "charge, follow and blow a cook", OP, LEAD),
    _right("hold_case", "Holding a case", "hold a case beside today", OP, LAB, LEAD, ENG, MAINT, SAFE),
    _right("close_lot", "Closing a lot", "close a lot", OP, LEAD),
    _right("hold", "Holding a lot", "hold a lot", OP, LAB, LEAD, ENG, SAFE),
    _right("divert", "Diverting a lot", "divert a lot", LEAD, ENG),
    _right("release", "Releasing a lot", "release a lot", LEAD),
    _right("deviate", "Opening a deviation", "open a deviation, contain it, tell its cause", OP, LAB, LEAD, ENG, MAINT, SAFE),
    _right(
        "dispose",
        "Closing a deviation",
        "close a deviation, downgrade, release under one",
        lead="with engineer",
        engineer="with lead",
    ),
    _right("handover", "Signing a handover", "sign a handover", LEAD),
    _right("plan", "Planning an order", "plan an order, issue its card", LEAD, ENG),
    _right("fit", "Fitting models to this mill", "fit models to this mill", ENG),
    _right(
        "propose_setup",
        "Proposing a change of the set-up",
        "change bands, specifications, recipes",
        admin="lead signs",
        lead="proposes",
        engineer="lead signs",
    ),
    _right("countersign", "Countersigning a change of the set-up", "countersign an engineer's change", LEAD),
    _right("countersign_lead", "Countersigning a lead's change", "countersign a lead's change", ENG),
    _right("limits", "Typing the site's exposure limits", "type the site's exposure limits", ENG, SAFE, ADMIN),
    _right("sign_limits", "Countersigning the site's exposure limits", "countersign the site's exposure limits", SAFE),
    _right("people", "Adding people and giving PINs", "add people, give new PINs", ADMIN),
    _right("setup", "Set-up and restore", "set up, restore, sign for a failed proof", ADMIN),
    _right("tokens", "Making and revoking keys for programs", "make and revoke keys for programs", ENG, ADMIN),
    _right("read_trail", "Reading the log", "read the trail", LAB, LEAD, ENG, MAINT, SAFE, AUDIT, ADMIN, operator="own"),
    _right("audit", "Reading the audit", "read the audit", LEAD, ENG, AUDIT, ADMIN),
)
BY_ACT: Final = {right.act: right for right in TABLE}
MAY: Final = {right.act: set(right.roles) for right in TABLE}
