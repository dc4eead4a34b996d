"""How much of the hand-written code is tests, counted in characters (Python, templates, scripts, styles), as information."""

from pathlib import Path

HOUSE = Path(__file__).resolve().parent.parent


def characters(*folders: str) -> int:
    """Characters of the files under some folders; migrations and what is built or brought in (*.min.*) are left out."""
    found = [p for under in folders for kind in ("py", "html", "js", "css") for p in (HOUSE / under).rglob(f"*.{kind}")]
    return sum(len(p.read_text()) for p in found if "migrations" not in p.parts and ".min." not in p.name)


def shares() -> tuple[int, int]:
    """Characters of tests, and of what they test."""
    return characters("tests"), characters("core", "desk")


if __name__ == "__main__":
    tests, code = shares()
    whole = tests + code
    print(
        f"Tests are {100 * tests / code:.0f} % of the {code} characters they test, {100 * tests / whole:.1f} % of all of them."
    )
