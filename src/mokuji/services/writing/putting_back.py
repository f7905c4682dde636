"""Putting back what a page said: a whole revision, or passages that differ between two, as a text to be looked at and
saved like any other. Nothing is saved here."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace

from mokuji.core.base.edits import apply
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.diff.diff import compare, without
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.policy import Actor, Permission
from mokuji.services.app_context import AppContext, ReadContext, check, need_head
from mokuji.services.looking_back.former_names import former_names
from mokuji.services.looking_back.revisions import need_revision
from mokuji.services.writing.writing import Clash, bring_together
from mokuji.store.database import reading


@dataclass(frozen=True, slots=True)
class PutBack:
    """A text that puts something back. ``revision`` is the one that it is to be saved upon: the newest one, or, where
    both changed the same words (``clash``), the one that it was made from. ``former_title`` is what the page was called
    then, if that is something else than now."""

    head: PageHead
    text: str
    revision: int
    note: str
    clash: bool = False
    former_title: str = ""


def put_back(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    page_key: str,
    older: int,
    newer: int | None = None,
    passages: Collection[int] | None = None,
) -> PutBack:
    """What puts a revision back. With ``newer`` only what was changed between the two is taken back, of that with
    ``passages`` only some (from 0, as they are compared), brought together with what was changed since. Names that
    pages had then become those that they have now. Missing if there is no such revision or passage, Refused if the page
    says it already."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        check(actor, Permission.WRITE, volume)
        head = need_head(connection, volume, page_key)
        page = context.wiki.pages([head.id])[head.id]
        then, text = need_revision(context, head, older)
        upon, note = head.revision, f"Revision {older} put back"
        if newer is not None:
            _, after = need_revision(context, head, newer)
            upon = newer
            note = _note(older, newer, passages)
            _check_passages(head, text, after, passages)
            text = without(text, after, passages)
        found = PutBack(head, text, upon, note)
        if newer is None and then.title != head.title:
            found = replace(found, former_title=then.title)
        if newer is not None and newer != head.revision:
            try:
                text = bring_together(connection, page, newer, text, context.reads)
            except Clash as clash:
                return replace(found, text=clash.mine, clash=True)
        text = _presently(context, page, text)
        if text == page.text and not found.former_title:
            raise Refused(
                f"“{head.title}” says that already: there is nothing to put back.", code="said_already"
            )
        return replace(found, text=text, revision=head.revision)


def _check_passages(head: PageHead, before: str, after: str, passages: Collection[int] | None) -> None:
    number = sum(run.kind != "same" for run in compare(before, after))
    lost = [nth for nth in passages or () if not 0 <= nth < number]
    if lost:
        raise Missing(
            f"Between these revisions of “{head.title}” there is no passage {lost[0] + 1} that differs: there are "
            f"{number}.",
            code="passage_missing",
        )


def _note(older: int, newer: int, passages: Collection[int] | None) -> str:
    if passages is None:
        what = f"What revision {newer} changed" if newer == older + 1 else f"Changes up to revision {newer}"
        return f"{what} taken back to revision {older}"
    what = "A passage" if len(passages) == 1 else f"{len(passages)} passages"
    return f"{what} of revision {older} put back"


def _presently(context: ReadContext, page: Page, text: str) -> str:
    """The text with the present names of pages that it calls by former ones; names that the page uses now stay."""
    home = next(each for each in context.volumes.values() if each.id == page.head.volume)
    new = Page(page.head, text)
    used = {each.name.key for each in page.content.references if each.name is not None}
    return apply(text, list(former_names(context, home, new).presently(new, used)))
