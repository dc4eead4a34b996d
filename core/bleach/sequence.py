"""The notation of bleaching sequences: read, named, judged as a school, and written again.

    sequence = item { [ "-" ] item };  item = stage | "(" stage { stage } ")";  "/" or one "( )" joins without a wash.
Spaces are ignored, en and em dashes are hyphens, the longest code wins (EOP is one reinforced stage, E-O-P three).
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from core.errors import ImpossibleInput, Problem

CODES: Final = {
    "D0": "chlorine dioxide, delignifying",
    "D1": "chlorine dioxide",
    "D2": "chlorine dioxide, last",
    "D": "chlorine dioxide",
    "EOP": "alkali, oxygen, peroxide",
    "EO": "alkali, oxygen",
    "EP": "alkali, peroxide",
    "E": "alkali",
    "PAA": "peracetic acid",
    "PA": "peracetic acid",
    "PO": "peroxide under oxygen",
    "P": "peroxide",
    "O": "oxygen",
    "Q": "chelation",
    "Z": "ozone",
    "A": "hot acid",
    "Y": "dithionite",
    "X": "enzyme",
    "T": "peracetic acid",
    "W": "wash only",
    "C": "elemental chlorine",
    "H": "hypochlorite",
}
SHOWN: Final = {"PAA": "Paa", "PA": "Paa", "T": "Paa"}
BY_LENGTH: Final = sorted(CODES, key=len, reverse=True)
MOST_STAGES: Final = 12


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """One stage: its code as written, its name (first unnumbered D is D0, after C it is D1; then D2), and whether
    a wash follows."""

    code: str
    name: str
    washed: bool
    at: int  # position in the text, 0-based


@dataclass(frozen=True, slots=True, kw_only=True)
class Sequence:
    stages: tuple[Stage, ...]
    school: str
    cautions: tuple[str, ...]

    @property
    def text(self) -> str:
        """The sequence in the plain hyphen school; reads back the same."""
        out = ""
        for i, s in enumerate(self.stages):
            out += s.name
            if i < len(self.stages) - 1:
                out += "-" if s.washed else "/"
        return out


class Misread(ImpossibleInput):
    """A sequence that cannot be read; `at` is the position of the fault, 0-based."""

    def __init__(self, at: int, text: str):
        super().__init__(Problem("sequence", f"{text}, at character {at + 1}"))
        self.at = at


@lru_cache(maxsize=256)
def read(text: str) -> Sequence:
    """Read a sequence as typed. Raises: Misread with the position."""
    clean = text.replace("–", "-").replace("—", "-")
    if not clean.strip():
        raise Misread(0, "is empty")
    result: list[Stage] = []
    i, n, group, joiner_at, compact = 0, len(clean), -1, -1, False
    before_join = True  # nothing to join to yet
    grouped: list[int] = []
    while i < n:
        ch = clean[i]
        if ch.isspace():
            i += 1
            continue
        if ch in "-/":
            if not result or before_join:
                raise Misread(
                    i,
                    f"has “{ch}” after another joiner" if result else f"has “{ch}” with no stage before it",
                )
            if group >= 0 and ch == "-":
                raise Misread(i, "has a hyphen inside brackets: what stands in brackets has no wash between")
            if ch == "/":
                result[-1] = _unwashed(result[-1])
            before_join, joiner_at = True, i
            i += 1
            continue
        if ch == "(":
            if group >= 0:
                raise Misread(i, "opens a bracket inside a bracket")
            group, grouped = i, []
            i += 1
            continue
        if ch == ")":
            if group < 0:
                raise Misread(i, "closes a bracket that was not opened")
            if not grouped:
                raise Misread(group, "has empty brackets")
            if before_join and joiner_at > group:
                raise Misread(joiner_at, "has a joiner with no stage after it")
            for k in grouped[:-1]:
                result[k] = _unwashed(result[k])
            group, before_join = -1, False
            i += 1
            continue
        code = next((c for c in BY_LENGTH if clean[i : i + len(c)].upper() == c), None)
        if code is None:
            raise Misread(i, f"has “{ch}”, which is no stage")
        if result and not before_join and group < 0:
            compact = True
        if group >= 0:
            grouped.append(len(result))
        result.append(Stage(code=code, name=code, washed=True, at=i))
        before_join, joiner_at = False, -1
        i += len(code)
    if group >= 0:
        raise Misread(group, "opens a bracket that is not closed")
    if before_join and joiner_at >= 0:
        raise Misread(joiner_at, "ends in a joiner")
    if len(result) > MOST_STAGES:
        raise Misread(result[MOST_STAGES].at, f"has {len(result)} stages; at most {MOST_STAGES} are worked out")
    stages = _named(result)
    return Sequence(stages=stages, school=_school(stages), cautions=_cautions(stages, clean, compact))


def _unwashed(s: Stage) -> Stage:
    return Stage(code=s.code, name=s.name, washed=False, at=s.at)


def _named(found: list[Stage]) -> tuple[Stage, ...]:
    named, count = [], 0
    for s in found:
        name = SHOWN.get(s.code, s.code)
        if s.code == "D":
            name, count = f"D{min(count, 2)}", count + 1
        elif s.code in ("D0", "D1", "D2"):
            count = int(s.code[1]) + 1
        elif s.code == "C":
            count = max(count, 1)  # chlorine has delignified: the D after it brightens
        named.append(Stage(code=s.code, name=name, washed=s.washed, at=s.at))
    return tuple(named)


def _school(stages: tuple[Stage, ...]) -> str:
    kinds = {s.code[0] for s in stages if s.code in ("D", "D0", "D1", "D2", "C", "H")}
    if kinds & {"C", "H"}:
        return "old school, neither"
    return "ECF" if "D" in kinds else "TCF"


def _cautions(stages: tuple[Stage, ...], text: str, compact: bool) -> tuple[str, ...]:
    said = []
    names = [s.name for s in stages]
    if compact and "EOP" in names and "(" not in text:
        said.append("read as " + "-".join(names) + ": EOP is one reinforced stage; write E-O-P for three")
    if any(s.code in ("C", "H") for s in stages):
        said.append("C and H are neither ECF nor TCF: chloroform and chlorine; hypochlorite never meets acid or ammonium")
    for a, b in zip(stages, stages[1:], strict=False):
        if b.name == "Y" and a.name in ("P", "PO") and not a.washed:
            said.append("Y straight after P without a wash: the peroxide left kills the dithionite")
        if b.name == "Z" and not a.washed and a.name[0] in "PE":
            said.append("Z after an unwashed alkaline stage: ozone is lost, pH")
    for i, s in enumerate(stages):
        if s.name in ("P", "PO") and not any(x.name[0] in "QAD" for x in stages[:i]):
            said.append(f"{s.name} with no Q, acid or D before it: metals take peroxide")
            break
    if names[-1] in ("E", "Q"):
        said.append(f"ends in {names[-1]}: colour comes back")
    return tuple(said)
