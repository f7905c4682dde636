"""Lists to be taken away: as CSV and as JSON."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from fastapi.responses import Response


def as_csv(head: Sequence[str], rows: Iterable[Mapping[str, Any]]) -> Response:
    """CSV as RFC 4180 has it. A cell that a spreadsheet would run as a formula gets an apostrophe before it."""
    out = io.StringIO()
    writer = csv.DictWriter(out, head)
    writer.writerow({name: _harmless(name) for name in head})  # fields of pages are heads, too
    for row in rows:
        writer.writerow({key: _harmless(value) for key, value in row.items()})
    return Response(out.getvalue(), media_type="text/csv; charset=utf-8")


def _harmless(value: Any) -> Any:
    return f"'{value}" if isinstance(value, str) and value[:1] in tuple("=+-@\t\r") else value


def as_json(rows: Iterable[Mapping[str, Any]]) -> Response:
    """A JSON list of objects."""
    return Response(json.dumps(list(rows), ensure_ascii=False), media_type="application/json")
