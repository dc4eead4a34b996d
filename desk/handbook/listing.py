"""docs/models.md: the public names of the models with an example each, made from the register and its own answers."""

import json

from core import calc
from core.catalogue import models
from core.quantity import quantities

HEAD = """# The models, by name

The names are the public interface: they stay. Each answers on its page (`/models/NAME/`), on the command line and over HTTP:

    ./vat calc list                             every name
    ./vat calc NAME '{"field": number, ...}'    one answer as JSON; without the argument: inputs from standard input
    ./vat calc NAME --schema                    the JSON Schema of its inputs
    ./vat calc NAME --csv IN.csv OUT.csv        every row of a file whose header names the inputs; bad rows are reported by line
    POST /api/calc/NAME/                        the same as JSON, signed in or with `Authorization: Bearer KEY` (scope: models)

Inputs are in the core's units, named in each table. A wrong input is refused with every bad field named: exit status 2,
HTTP 422.
A sensible question without an answer comes back as `"feasible": false` with the field, the reason and the nearest value
that has one.
This page is made by `./vat manage models_page`; a test keeps it in step.
"""


def page() -> str:
    parts = [HEAD]
    for m in sorted(models(), key=lambda m: m.name):
        given = calc.example(m)
        told = calc.calculate(m, given)
        lines = [
            f"\n## {m.name}\n",
            f"{m.title}. `{m.equation}`  ",
            f"Source: {m.source}. Holds for {m.holds_for}. Coefficients: {m.basis}.\n",
            "| input | unit | is | default |",
            "| --- | --- | --- | --- |",
        ]
        usual = calc.defaults(m)
        for name, q in quantities(m.case_class).items():
            lines.append(
                f"| `{name}` | {q.unit} | {q.label.lower()}{': ' + ', '.join(q.options) if q.options else ''} | "
                f"{'' if name not in usual else usual[name] if q.options else f'{usual[name]:g}'} |"
            )
        shown = {  # the figures; what a result holds whole beside them is for the pages
            k: None if v is None else float(f"{v:.5g}") if isinstance(v, float) else v
            for k, v in told.get("result", {}).items()
            if not isinstance(v, dict | list) or k == "cautions"
        }
        lines += ["", f"    ./vat calc {m.name} '{json.dumps(given)}'", f"    gives {json.dumps(shown, ensure_ascii=False)}"]
        parts.append("\n".join(lines))
    return "\n".join(parts) + "\n"
