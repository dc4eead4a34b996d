"""./vat calc: any registered model from the command line, JSON in and JSON out, or a batch of CSV rows."""

import argparse
import csv
import json
import sys

from core import calc
from core.catalogue import find, models
from core.errors import CoreError, ImpossibleInput
from core.quantity import quantities
from desk.kit.sheet import safe

BAD = 2


def _errors(refusal: ImpossibleInput) -> list[dict]:
    return [{"field": p.field, "text": p.text} for p in refusal.problems]


def _say(data, out=None) -> None:
    print(json.dumps(data, ensure_ascii=False, indent=1), file=out or sys.stdout)


def _refuse(errors: list[dict]) -> int:
    _say({"errors": errors}, sys.stderr)
    return BAD


def _list() -> int:
    for m in models():
        print(f"{m.name:<24} {m.title}. {m.equation}")
    return 0


def _one(model, text: str) -> int:
    try:
        given = json.loads(text)
    except json.JSONDecodeError as error:
        return _refuse([{"field": "any", "text": f"is no JSON: {error}"}])
    try:
        _say(calc.calculate(model, given))
    except ImpossibleInput as refusal:
        return _refuse(_errors(refusal))
    except CoreError as failure:
        return _refuse([{"field": "any", "text": str(failure)}])
    return 0


def _cell(text: str):
    try:
        return float(text)
    except ValueError:
        return text


def batch(model, source, target, trouble) -> int:
    """Every row of a CSV with a header of field names; a bad row is reported by its line and the others go on."""
    rows = csv.DictReader(source)
    names = list(quantities(model.result_class))
    known = [n for n in (rows.fieldnames or []) if n]
    out = csv.writer(target)
    out.writerow(
        [
            *(safe(n) for n in known),
            *(f"{n} [{q.unit}]" if q.unit else n for n, q in quantities(model.result_class).items()),
            "trouble",
        ]
    )
    good = bad = 0
    for row in rows:
        given = {k: _cell(v) for k, v in row.items() if k and v not in (None, "")}
        echo = [safe(row.get(k) or "") for k in known]
        try:
            if None in row:
                raise ValueError(f"has {len(row[None])} cells more than the header")
            told = calc.calculate(model, given)
            why = "" if told["feasible"] else "{field} {reason}".format(**told["infeasible"])
            values = [told["result"][n] for n in names] if told["feasible"] else [""] * len(names)
        except ImpossibleInput as refusal:
            why, values = "; ".join(f"{p.field} {p.text}" for p in refusal.problems), [""] * len(names)
        except (CoreError, ValueError) as failure:
            why, values = str(failure), [""] * len(names)
        if why:
            bad += 1
            print(f"line {rows.line_num}: {why}", file=trouble)
        else:
            good += 1
        out.writerow([*echo, *("" if v is None else v for v in values), safe(why)])
    print(f"{good} rows worked out, {bad} bad", file=trouble)
    return BAD if bad else 0


def main(argv: list[str] | None = None) -> int:
    parser = argparse.ArgumentParser(prog="./vat calc", description="Ask a model by its name; ./vat calc list names them.")
    parser.add_argument("name")
    parser.add_argument("json", nargs="?", help="inputs as one JSON object; without it they are read from the standard input")
    parser.add_argument("--schema", action="store_true", help="print the JSON Schema of the inputs")
    parser.add_argument("--csv", nargs=2, metavar=("IN", "OUT"), help="work out every row of a file")
    asked = parser.parse_args(argv)
    if asked.name == "list":
        return _list()
    try:
        model = find(asked.name)
    except KeyError as error:
        return _refuse([{"field": "name", "text": error.args[0]}])
    if asked.schema:
        _say(calc.schema(model))
        return 0
    if asked.csv:
        try:
            with (
                open(asked.csv[0], newline="", encoding="utf-8-sig") as source,
                open(asked.csv[1], "w", newline="", encoding="utf-8") as target,
            ):
                return batch(model, source, target, sys.stderr)
        except OSError as error:
            return _refuse([{"field": "--csv", "text": f"{error.filename}: {error.strerror}"}])
    return _one(model, asked.json if asked.json is not None else sys.stdin.read())


if __name__ == "__main__":
    sys.exit(main())
