"""Readings over HTTP: POST /api/readings/ with a token of the scope `readings`, JSON {"readings": [{"tag", "at", "value"}]}."""

import json

from django.contrib.auth.decorators import login_not_required
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_POST

from desk.intake.actions import Raw, deliver
from desk.kit.answers import errors, told
from desk.people.tokens import bearer

MOST = 5000
LARGEST = 1_000_000


@csrf_exempt  # a token, never a cookie, opens this door
@login_not_required
@require_POST
def readings(request):
    """Keeps the good ones, and says of each other one what was wrong. Answered only after what was kept is on disk."""

    token = bearer(request, "readings")
    if token is None:
        return errors(
            ("authorization", "is missing or not valid here; send Authorization: Bearer with a key of the scope readings"),
            status=401,
        )
    if len(request.body) > LARGEST:
        return errors(("body", f"is {len(request.body)} bytes; it must be at most {LARGEST}"), status=413)
    try:
        given = json.loads(request.body)
    except (ValueError, RecursionError) as problem:
        return errors(("body", f"is no JSON: {problem}"), status=400)
    rows = given.get("readings") if isinstance(given, dict) else None
    if not isinstance(rows, list) or len(rows) > MOST or not all(isinstance(r, dict) for r in rows):
        return errors(("readings", f"must be a list of at most {MOST} objects with tag, at, value"), status=422)
    raws = [Raw(i, str(r.get("tag", ""))[:80], r.get("at"), r.get("value")) for i, r in enumerate(rows, start=1)]
    delivery, out = deliver(rows=raws, door="http", name=token.name, by=token.made_by, now=request.now)
    answer = {"delivery": delivery.pk, "kept": out.kept, "flagged": out.flagged, "refused": out.refused, "reasons": out.reasons}
    answer["told"] = [{"index": raw.line, "reason": reason.value} for raw, reason in out.told[:100]]
    return told(answer)
