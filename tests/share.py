"""How much of the hand-written code is tests, counted in characters (Python, templates, scripts, styles), as information."""

from pathlib import Path

HOUSE = Path(__file__).resolve().parent.parent


def characters(*patterns: str, under: str) -> int:
    """Characters of the files under a folder, without indents and empty lines; migrations and built styles are left out."""
    found = [p for pattern in patterns for p in (HOUSE / under).rglob(pattern)]
    kept = [p for p in found if "migrations" not in p.parts and p.name != "app.min.css"]
    return sum(len(line.strip()) for p in kept for line in p.read_text().splitlines())


def shares() -> tuple[int, int]:
    """Characters of tests, and of what they test."""
    tests = characters("*.py", under="tests")
    code = sum(characters("*.py", "*.html", "*.js", under=d) for d in ("core", "desk"))
    return tests, code + sum(len(line.strip()) for line in (HOUSE / "desk/styles/app.css").read_text().splitlines())


if __name__ == "__main__":
    tests, code = shares()
    whole = tests + code
    print(
        f"Tests are {100 * tests / code:.0f} % of the {code} characters they test, {100 * tests / whole:.0f} % of all of them."
    )
