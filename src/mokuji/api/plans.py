"""Plans as JSON."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from mokuji.acts import words
from mokuji.acts.view import PlanView
from mokuji.api import plan_schemas as schemas
from mokuji.core.diff.diff import Piece, changed_lines
from mokuji.core.language.page import PageHead
from mokuji.core.model.changes import PageChange
from mokuji.services.reading.reference_lists import Listed


def said(pieces: Sequence[Piece]) -> str:
    """A line as one string."""
    return "".join(piece.words for piece in pieces)


def _page(change: PageChange, volume: str) -> schemas.ChangedPage:
    """A page that an act changes, line by line."""
    return schemas.ChangedPage(
        volume=volume,
        title=change.head.title,
        title_after=change.title,
        lines=[
            schemas.ChangedLine(
                line=line.line,
                before=said(line.before) if line.before or not line.after else None,
                after=said(line.after) if line.after or not line.before else None,
            )
            for line in changed_lines(change.before, change.edits)
        ],
    )


def plan(view: PlanView) -> schemas.Plan:
    """A plan as JSON."""
    made = view.plan
    assert made is not None
    by_id = {id_: volume.key for id_, volume in view.volumes.items()}

    def named(heads: Iterable[PageHead]) -> list[schemas.NamedPage]:
        return [
            schemas.NamedPage(volume=by_id.get(head.volume, ""), key=head.key, title=head.title)
            for head in heads
        ]

    def listed(found: Iterable[Listed]) -> list[schemas.Reference]:
        return [
            schemas.Reference(
                volume=by_id.get(reference.page.volume, ""),
                title=reference.page.title,
                line=reference.line,
                words=reference.words,
            )
            for reference in found
        ]

    return schemas.Plan(
        act=made.act,
        sentence=words.sentence(view),
        digest=view.digest,
        can_be_done=view.can_be_done,
        readers=view.readers_said,
        references=view.references,
        sections=made.sections,
        pages=[_page(change, by_id.get(change.head.volume, "")) for change in view.changes],
        removed=named(removed_page.head for removed_page in view.removed),
        captured=listed(view.captured),
        lost=listed(view.lost),
        lost_sections=listed(view.lost_sections),
        resettled=listed(view.resettled),
        released=listed(view.released),
        returned=listed(view.returned),
        other_texts=listed(view.other_texts),
        conflicts=named(view.conflicts),
        contents=words.placings(view, 500),
        files=list(made.copied),
        rows=[
            schemas.Row(
                id=row.id,
                kind=row.kind,  # type: ignore[arg-type]
                title=row.page.title,
                line=row.line,
                before=row.before,
                after=row.after,
            )
            for row in view.rows
        ],
        crossing=listed(view.crossing.references if view.crossing is not None else ()),
        hidden_pages=view.hidden_pages,
        hidden_references=view.hidden_references,
    )
