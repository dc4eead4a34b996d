"""How much of the hand-written code is tests, as information."""

from pathlib import Path

HOUSE = Path(__file__).resolve().parent.parent


def lines(*patterns: str, under: str) -> int:
    found = [
        p for pattern in patterns for p in (HOUSE / under).rglob(pattern) if "migrations" not in p.parts and p.name != "app.css"
    ]
    return sum(1 for p in found for line in p.read_text().splitlines() if line.strip())


if __name__ == "__main__":
    tests = lines("*.py", under="tests")
    code = sum(lines("*.py", "*.html", "*.js", under=d) for d in ("core", "desk")) + lines("app.css", under="desk/styles")
    print(f"Tests are {100 * tests / (tests + code):.0f} % of {tests + code} lines of hand-written code.")
