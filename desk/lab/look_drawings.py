"""Every look drawn: a shape of the place, and marks for what is seen; strings for SVG, 120 by 72."""

SHAPES = {
    "mat": "M8 22C30 18 90 18 112 22V54C90 50 30 50 8 54Z",
    "hand": "M22 44C14 30 30 16 48 20C60 10 84 14 88 26C104 28 104 50 88 54C70 62 36 60 22 44Z",
    "chips": "M14 52L34 40L44 54ZM40 50L56 30L70 50ZM66 54L84 36L98 52ZM30 36L46 22L58 34ZM62 30L78 18L92 32Z",
    "bin": "M24 8H96L78 46V64H42V46Z",
    "vat": "M60 12C92 12 108 24 108 38S92 64 60 64S12 52 12 38S28 12 60 12Z",
    "sheet": "M26 10H94V62H26Z",
    "screen": "M10 18H110L98 56H22Z",
    "cone": "M40 6H80L64 46H56Z",
    "froth": "M10 34C20 26 30 26 40 34S60 42 70 34S90 26 110 34V62H10Z",
    "motor": "M14 24H66V54H14ZM70 16H78V62H70ZM82 16H90V62H82ZM90 34H108V44H90Z",
    "chest": "M20 8V60C44 66 76 66 100 60V8M20 28C44 24 76 24 100 28",
    "tower": "M44 66V24H76V66ZM40 24H80",
}
MARKS = {
    "bald": ["M30 26L50 24L54 46L34 48Z"],
    "drops": ["M30 58v6M48 60v6M66 59v6M84 60v6"],
    "bands": ["M22 24v26M38 23v26M62 22v27M80 23v26M98 24v26"],
    "foam": [
        "M24 20a5 5 0 1 0 10 0a5 5 0 1 0-10 0M40 16a6 6 0 1 0 12 0a6 6 0 1 0-12 0M60 19a5 5 0 1 0 10 0a5 5 0 1 0-10 0",
        "M78 16a6 6 0 1 0 12 0a6 6 0 1 0-12 0",
    ],
    "specks": ["M28 30h3M42 42h3M56 28h3M68 40h3M84 32h3M94 44h3M36 50h3M76 50h3"],
    "slide": ["M8 22L112 44M16 60l14 6M60 66h20"],
    "knots": ["M34 30l14 8M60 24l4 16M76 40l16-6M44 48l16 2"],
    "shives": ["M28 28l18 2M40 44l20-2M62 30l18 4M76 46l16-4M50 36l10 1"],
    "lumps": [
        "M30 36a8 7 0 1 0 16 0a8 7 0 1 0-16 0M58 30a9 8 0 1 0 18 0a9 8 0 1 0-18 0",
        "M74 46a6 5 0 1 0 12 0a6 5 0 1 0-12 0",
    ],
    "haze": ["M20 14C28 8 32 20 40 14S52 8 60 14S72 20 80 14S92 8 100 14M26 24C34 18 38 30 46 24S58 18 66 24S78 30 86 24"],
    "ice": ["M30 24l6 6m0-6l-6 6M60 18l6 6m0-6l-6 6M86 28l6 6m0-6l-6 6"],
    "strings": ["M34 8C30 20 40 26 34 40M58 8C62 22 52 30 58 46M82 8C78 18 88 26 82 36"],
    "vortex": ["M36 38C36 28 84 28 84 38S48 46 48 38S72 33 72 38"],
    "blocks": ["M30 28h16v12H30ZM58 24h18v13H58ZM72 44h14v10H72Z"],
    "still": ["M28 38H92"],
    "raft": ["M34 34l22-6l20 4l12-4v10l-20 6l-18-4l-16 4Z"],
    "rope": ["M60 46C54 52 66 56 60 62S54 68 60 70"],
    "spray": ["M58 48L38 68M60 48V70M62 48L82 68M57 49L26 62M63 49L94 62"],
}


def drawn(shape: str, marks: tuple[str, ...]) -> dict:
    """The paths of a look: its shape, and what is seen on it."""
    return {"shape": SHAPES[shape], "marks": [path for mark in marks for path in MARKS[mark]], "haze": "haze" in marks}
