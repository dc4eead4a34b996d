"""The form of a file of readings: its separator, its decimal sign and its columns, read from its first lines and said aloud."""

import csv
import re
from dataclasses import dataclass

HEADER = ("tag", "at", "value")
DECIMAL_COMMA = re.compile(r"\s*[-+]?\d+,\d+\s*\Z")
LINE_MOST = 4096
FIRST_LINES = 50


@dataclass(frozen=True)
class FileForm:
    """How to read a line: the separator, whether the comma is the decimal sign, and where tag, time and value stand."""

    separator: str = ","
    comma: bool = False
    columns: tuple[int, int, int] = (0, 1, 2)
    width: int = 3
    header: bool = False

    @property
    def assumed(self) -> str:
        """What was taken for granted, in words; empty for the plain form."""
        told = []
        if self.separator != ",":
            told.append(f"separator {'tab' if self.separator == chr(9) else self.separator}")
        if self.comma:
            told.append("decimal comma")
        if not self.header:
            told.append("no header: tag, at, value")
        elif self.columns != (0, 1, 2) or self.width != 3:
            told.append("columns by their header")
        return ", ".join(told)

    def cells(self, line: str) -> tuple[str, str, str] | None:
        """Tag, time and value of one line; None where it has not the file's columns. A quote never reaches past its line."""
        try:
            row = next(csv.reader([line], delimiter=self.separator), [])
        except csv.Error:
            return None
        if len(row) != self.width:
            return None
        tag, when, value = (row[i].strip() for i in self.columns)
        if self.comma and DECIMAL_COMMA.match(value):
            value = value.replace(",", ".")
        return tag, when, value


def form_of(lines: list[str]) -> FileForm:
    """The form that a file's first lines speak for."""
    first = next((line for line in lines if line.strip()), "")
    separator = max(",;\t", key=lambda s: (sum(line.count(s) >= 2 for line in lines), s == ","))
    if ";" in first and first.count(";") >= 2:
        separator = ";"
    names = [c.strip().strip('"').lower() for c in first.split(separator)]
    header = set(HEADER) <= set(names)
    columns = tuple(names.index(n) for n in HEADER) if header else (0, 1, 2)
    width = len(names) if header else 3
    values = []
    for line in lines[1 if header else 0 :]:
        cells = line.rstrip("\r\n").split(separator)
        if len(cells) == width:
            values.append(cells[columns[2]].strip('" '))
    comma = separator != "," and any(DECIMAL_COMMA.match(v) for v in values)
    return FileForm(separator, comma, columns, width, header)  # type: ignore[arg-type]
