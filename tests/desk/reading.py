"""How a page of the desk reads: no figure with all its digits, nothing that is not a number, no style of its own."""

import re

DRAWN = re.compile(r"<svg.*?</svg>|<script.*?</script>", re.S)
RAW_FLOAT = re.compile(r">[^<]*\d\.\d{9,}[^<]*<")


def assert_reads_well(test, html: str) -> None:
    words = DRAWN.sub("", html)
    raw = RAW_FLOAT.search(words)
    test.assertIsNone(raw, raw and raw.group()[:120])
    test.assertNotIn("style=", words)
    test.assertNotIn("nan", re.sub(r"<[^>]*>", " ", words).lower().split())
