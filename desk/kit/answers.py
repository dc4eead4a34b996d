"""JSON as programs get it: an answer, or every bad field with the value and what is allowed."""

from django.http import JsonResponse


def told(data, status: int = 200) -> JsonResponse:
    return JsonResponse(data, status=status, json_dumps_params={"ensure_ascii": False})


def errors(*pairs: tuple[str, str], status: int) -> JsonResponse:
    return told({"errors": [{"field": f, "text": t} for f, t in pairs]}, status)
