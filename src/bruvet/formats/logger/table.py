"""From bytes to rows of cells: encoding, delimiter, heading, where the data begin."""

from __future__ import annotations

import codecs
import csv
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple

from .times import looks_like_time
from .values import is_missing, looks_like_number, unit_word

DELIMITERS = (",", ";", "\t")
SAMPLE_LINES = 400


class UnreadableFile(ValueError):
    """The file as a whole cannot be read as a table; the text says why and what would help."""


def decode(content: bytes) -> tuple[str, str]:
    """Text of a file and the name of its encoding: utf-8, utf-16 or latin-1."""
    if not content.strip():
        raise UnreadableFile("The file is empty.")
    if content.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return content.decode("utf-16", errors="replace"), "utf-16"
    head = content[:4000]
    if head.count(0) > len(head) // 4:
        # Without a byte-order mark the zero bytes of plain characters tell the order.
        order = "utf-16-be" if head[0::2].count(0) > head[1::2].count(0) else "utf-16-le"
        return content.decode(order, errors="replace").lstrip("\ufeff"), "utf-16"
    if content.startswith((b"PK\x03\x04", b"\xd0\xcf\x11\xe0", b"%PDF", b"\x89PNG", b"\x1f\x8b")):
        raise UnreadableFile("This is not a text file. Save the log as CSV and bring that in.")
    try:
        return content.decode("utf-8-sig"), "utf-8"
    except UnicodeDecodeError:
        # Windows-1252 is Latin-1 with signs where Latin-1 has unused controls.
        return content.decode("cp1252", errors="replace"), "latin-1"


class Row(NamedTuple):
    """Cells of one row and the number of the line that it began on."""

    line: int
    cells: list[str]


@dataclass(frozen=True)
class Table:
    """A file cut into cells: `names` of its columns, and where in `lines` the data begin."""

    lines: list[str]
    encoding: str
    delimiter: str
    names: tuple[str, ...]
    heading: tuple[str, ...]
    first_data_line: int
    preamble: str

    @property
    def width(self) -> int:
        return len(self.names)

    def rows(self) -> Iterator[Row]:
        """Data rows with the number of the line each began on; blank lines are passed over."""
        return _rows(self.lines, self.delimiter, self.first_data_line)

    def sample(self, most: int = SAMPLE_LINES) -> list[Row]:
        """Rows spread over the whole file, in order, so that a change late in the night is seen."""
        count = len(self.lines) - self.first_data_line + 1
        if count <= 3 * most:
            return list(self.rows())
        picked: list[Row] = []
        for start in (0, (count - most) // 2, count - most):
            piece = self.lines[self.first_data_line - 1 + start : self.first_data_line - 1 + start + most]
            picked += [
                Row(row.line + self.first_data_line - 1 + start, row.cells) for row in _rows(piece, self.delimiter, 1)
            ]
        return picked


def _rows(lines: list[str], delimiter: str, first_line: int) -> Iterator[Row]:
    reader = csv.reader(lines[first_line - 1 :], delimiter=delimiter, skipinitialspace=True)
    line = first_line
    while True:
        try:
            cells = next(reader)
        except StopIteration:
            return
        except csv.Error as error:
            yield Row(line, [f"({error})"])
            cells = []
        if (cells and cells[0]) or any(cell.strip() for cell in cells):
            yield Row(line, cells)
        line = first_line + reader.line_num


def _is_value(cell: str) -> bool:
    return looks_like_time(cell) or looks_like_number(cell)


def _trimmed(cells: list[str]) -> list[str]:
    end = len(cells)
    while end and not cells[end - 1].strip():
        end -= 1
    return cells[:end]


def _data_like(rows: list[Row]) -> list[Row]:
    """Rows that hold at least one value besides a first cell that is a value or a name."""
    return [
        row
        for row in rows
        if len(_trimmed(row.cells)) >= 2 and sum(_is_value(cell) for cell in row.cells if cell.strip()) >= 2
    ]


def _holds_values(cells: list[str]) -> bool:
    """Whether a column's cells, where they say anything, are mostly times or numbers."""
    said = [cell for cell in cells if not is_missing(cell)]
    return sum(_is_value(cell) for cell in said) > 0.5 * len(said)


def _score(rows: list[Row]) -> float:
    data = _data_like(rows)
    if not data:
        return 0.0
    width, agreeing = Counter(len(row.cells) for row in data).most_common(1)[0]
    cells = [cell for row in data if len(row.cells) == width for cell in row.cells if cell.strip()]
    understood = sum(_is_value(cell) or is_missing(cell) for cell in cells) / max(len(cells), 1)
    return agreeing / len(rows) * understood


def _choose_delimiter(lines: list[str]) -> str:
    first = lines[0].strip().strip('"').lower()
    if first.startswith("sep=") and len(first) == 5 and first[-1] in ",;\t":
        return first[-1]
    sample = lines[: SAMPLE_LINES // 2] + lines[SAMPLE_LINES // 2 :][-SAMPLE_LINES // 2 :]
    best = max(DELIMITERS, key=lambda d: _score(list(_rows(sample, d, 1))))
    if _score(list(_rows(sample, best, 1))) == 0:
        raise UnreadableFile(
            "No table of times and temperatures was found. A log needs a time and at least one temperature on "
            "each line, separated by commas, semicolons or tabs."
        )
    return best


def _units_only(cells: list[str]) -> bool:
    filled = [cell for cell in cells if cell.strip()]
    hints = {
        "s",
        "sec",
        "min",
        "h",
        "hh:mm",
        "hh:mm:ss",
        "h:mm",
        "h:mm:ss",
        "time",
        "date",
        "datetime",
        "local",
    }
    return (
        bool(filled)
        and all(unit_word(cell) is not None or cell.strip(" []()").lower() in hints for cell in filled)
        and any(unit_word(cell) for cell in filled)
    )


def cut(content: bytes) -> Table:
    """Cut a file into a table of cells; raises `UnreadableFile` when there is none in it."""
    text, encoding = decode(content)
    lines = text.replace("\x00", "").replace("\r\n", "\n").replace("\r", "\n").split("\n")
    lines = [line + "\n" for line in lines]
    while lines and not lines[-1].strip():
        lines.pop()
    if not lines:
        raise UnreadableFile("The file is empty.")
    delimiter = _choose_delimiter(lines)
    head = list(_rows(lines[: 2 * SAMPLE_LINES], delimiter, 1))
    data = _data_like(head)
    width = Counter(len(row.cells) for row in data).most_common(1)[0][0]
    typical = [row for row in data if len(row.cells) == width]
    strong = [index for index in range(width) if _holds_values([row.cells[index] for row in typical])]
    start = next(
        position
        for position, row in enumerate(head)
        if len(row.cells) == width
        and any(_is_value(row.cells[index]) for index in strong)
        and all(_is_value(row.cells[index]) or is_missing(row.cells[index]) for index in strong)
    )
    above = head[:start]
    names = [f"column {index + 1}" for index in range(width)]
    heading: list[str] = []
    units: list[str] = []
    if above and _units_only(above[-1].cells) and len(above) > 1 and len(_trimmed(above[-2].cells)) >= 2:
        units = above.pop().cells
    # A heading may leave out the last name or two, or end in a delimiter of its own.
    if above and len(_trimmed(above[-1].cells)) >= max(2, width - 2) and len(_trimmed(above[-1].cells)) <= width:
        heading = above.pop().cells
        for index, cell in enumerate(heading[:width]):
            names[index] = cell.strip() or names[index]
    for index, cell in enumerate(units[:width]):
        if cell.strip():
            names[index] = f"{names[index]} ({cell.strip(' []()')})"
    while (
        len(names) > 2 and names[-1].startswith("column ") and not any(r.cells[len(names) - 1].strip() for r in typical)
    ):
        names.pop()
    return Table(
        lines=lines,
        encoding=encoding,
        delimiter=delimiter,
        names=tuple(_distinct(names)),
        heading=tuple(cell.strip() for cell in heading),
        first_data_line=head[start].line,
        preamble="\n".join(" ".join(row.cells) for row in above),
    )


def _distinct(names: list[str]) -> list[str]:
    seen: Counter[str] = Counter()
    out = []
    for name in names:
        seen[name] += 1
        out.append(name if seen[name] == 1 else f"{name} ({seen[name]})")
    return out
