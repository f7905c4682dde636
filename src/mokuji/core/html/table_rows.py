"""The rows of a table as HTML: cells with ditto marks are parts of the cells above them or to their left."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

DITTO = "&quot;"
"""A ditto mark, as it stands in HTML."""
_ALIGN = {"Left": ' align="left"', "Center": ' align="center"', "Right": ' align="right"', "None": ""}


@dataclass(slots=True)
class _Cell:
    """A cell of a table: where its tag stands in what is written, its first column, and how many columns and rows it
    covers."""

    at: int
    column: int
    wide: int = 1
    rows: int = 1


class TableRows:
    """Puts together the rows of tables, one after another, of cells that were written as they came. That is done at the
    end of a row: what a cell is one with depends on those beside it."""

    def __init__(self, *, ditto: bool) -> None:
        """``ditto``: a cell that holds only a ditto mark is one with the cell above it, with two of them one with the
        cell to its left."""
        self._ditto = ditto
        self._aligns: Sequence[str] = ()
        self._head = False
        self._starts: list[int] = []
        self._above: dict[int, _Cell] = {}

    def begin(self, aligns: Sequence[str]) -> None:
        """Begins a table, given how its columns are aligned (as the parser says it)."""
        self._aligns = aligns

    def begin_section(self, *, head: bool) -> None:
        """Begins the head of a table, or its body: no cell reaches from one into the other."""
        self._head, self._starts, self._above = head, [], {}

    def begin_row(self) -> None:
        """Begins a row."""
        self._starts = []

    def begin_cell(self, at: int) -> None:
        """Begins a cell: all that is written from a place on."""
        self._starts.append(at)

    def end_row(self, out: list[str]) -> None:
        """Puts the cells of a row down again, those with ditto marks as parts of the cells above or to the left."""
        edges = [*self._starts, len(out)]
        cells = [out[start:end] for start, end in pairwise(edges)]
        typed = ["".join(cell) if self._ditto else "" for cell in cells]
        up = self._carried_on(typed)
        del out[edges[0] :]
        here: dict[int, _Cell] = {}
        for column, words in enumerate(typed):
            if column in up:
                here[column] = self._above[column]
                continue
            left = here.get(column - 1)
            if (
                words == DITTO * 2
                and left is not None
                and left.column + left.wide == column
                and column - 1 not in up
            ):
                left.wide += 1
                here[column] = left
                out[left.at] = self._tag(left)
                continue
            here[column] = cell = _Cell(len(out), column)
            out += [self._tag(cell), *cells[column], "</th>\n" if self._head else "</td>\n"]
        for cell in {id(each): each for column, each in here.items() if column in up}.values():
            cell.rows += 1
            out[cell.at] = self._tag(cell)
        self._above = here

    def _carried_on(self, typed: Sequence[str]) -> set[int]:
        """The columns of a row in which cells of the row above go on: a wide one if it does in all of its columns."""
        found: set[int] = set()
        for column, words in enumerate(typed):
            above = self._above.get(column)
            if above is None or above.column != column or words != DITTO:
                continue
            under = range(column, column + above.wide)
            if all(typed[each] in {DITTO, DITTO * 2} for each in under):
                found.update(under)
        return found

    def _tag(self, cell: _Cell) -> str:
        align = self._aligns[cell.column] if cell.column < len(self._aligns) else "None"
        span = f' rowspan="{cell.rows}"' if cell.rows > 1 else ""
        span += f' colspan="{cell.wide}"' if cell.wide > 1 else ""
        return f"<{'th' if self._head else 'td'}{_ALIGN[align]}{span}>"
