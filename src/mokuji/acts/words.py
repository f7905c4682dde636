"""Words that all acts share: what a plan will do in sentences, its button, places in the contents."""

from __future__ import annotations

from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import counted
from mokuji.core.model.contents import Put, Rekey, Take

TOLD_FILES = 5


def sentence(view: PlanView) -> str:
    """What a plan will do, in one sentence or two, and what follows from it."""
    made = view.plan
    if made is None:
        return ""
    if made.nothing_to_do and not made.in_the_way:
        left = view.act.rows_left and bool(made.rows)
        return (
            "Every place is left out; nothing would change."
            if left
            else "That is so already; nothing would change."
        )
    said = [view.act.sentence(view, view.request, made.facts), *_following(view)]
    return " ".join(each for each in said if each)


def references_said(view: PlanView) -> str:
    """“3 references in 2 pages of 2 volumes”."""
    pages = [change for change in view.changes if change.renamed]
    volumes = {change.head.volume for change in pages}
    across = f" of {len(volumes)} volumes" if len(volumes) > 1 else ""
    return f"{counted(view.references, 'reference')} in {counted(len(pages), 'page')}{across}"


def _following(view: PlanView) -> list[str]:
    """What follows, what is found again, what is lost; in this order."""
    said: list[str] = []
    made = view.plan
    assert made is not None
    if view.references and view.act.counts_references:
        said.append(f"{references_said(view)} {'follows' if view.references == 1 else 'follow'}.")
    if made.sections:
        said.append(
            f"{counted(made.sections, 'section reference')} {'follows' if made.sections == 1 else 'follow'}."
        )
    if made.copied and view.act.tells_copies:
        named = ", ".join(f"“{each}”" for each in made.copied[:TOLD_FILES])
        more = len(made.copied) - TOLD_FILES
        named += f" and {counted(more, 'more file')}" if more > 0 else ""
        said.append(f"Copied along: {named}.")
    if view.captured:
        said.append(
            f"{counted(len(view.captured), 'reference')} that led nowhere "
            f"{'leads' if len(view.captured) == 1 else 'lead'} to a page afterwards."
        )
    if view.lost:
        said.append(
            f"{counted(len(view.lost), 'reference')} will be left without a page, and "
            f"{'is' if len(view.lost) == 1 else 'are'} listed as unwritten."
        )
    if view.lost_sections:
        said.append(f"{counted(len(view.lost_sections), 'reference')} will lead to a section that is gone.")
    if view.resettled:
        number = len(view.resettled)
        said.append(
            f"{counted(number, 'unwritten name')} {'belongs' if number == 1 else 'belong'} to another volume then."
        )
    if view.released:
        number = len(view.released)
        said.append(f"{counted(number, 'reference')} {'leads' if number == 1 else 'lead'} nowhere again.")
    if view.returned:
        number = len(view.returned)
        said.append(
            f"{counted(number, 'reference')} {'leads' if number == 1 else 'lead'} back to the page that came back."
        )
    if view.other_texts:
        where = counted(len(view.other_texts), "place")
        said.append(
            f"Readers of {where} that {'puts' if len(view.other_texts) == 1 else 'put'} it in will see other text."
        )
    if view.hidden_pages:
        hidden = counted(view.hidden_references, "reference")
        if not view.hidden_references:
            hidden = "what names it"
        said.append(f"In {counted(view.hidden_pages, 'page')} closed to you {hidden} will follow too.")
    return said


def button(view: PlanView) -> str:
    """What doing it is called, with the count."""
    made, act = view.plan, view.act
    if made is None:
        return "Do it"
    said = act.button if isinstance(act.button, str) else act.button(view, view.request, made.facts)
    if not view.references or not act.button_counts:
        return said
    references, pages = counted(view.references, "reference"), counted(len(view.changes), "page")
    return f"{said} and update {references} in {pages}"


def placings(view: PlanView, most: int = 40) -> list[str]:
    """What becomes of places in the contents, in words."""
    if view.plan is None:
        return []
    titles = {change.head.key: change.head.title for change in view.changes}
    if view.place is not None:
        titles |= {entry.key: entry.title for entry in view.place.contents.entries}
    said: list[str] = []
    for each in view.plan.contents[:most]:
        if isinstance(each, Put):
            titles.setdefault(each.key, each.title)
            under = f"below “{titles.get(each.under, each.under)}”" if each.under else "at the top"
            behind = ""
            if each.after is None:
                behind = ", first"
            elif each.after in titles:
                behind = f", behind “{titles[each.after]}”"
            elsewhere = view.volumes.get(each.volume)
            if elsewhere is not None and view.place is not None and each.volume != view.place.volume.id:
                behind += f", in “{elsewhere.title}”"
            said.append(f"“{each.title}” {under}{behind}")
        elif isinstance(each, Take):
            said.append(f"“{titles.get(each.key, each.key)}” loses its place")
        elif isinstance(each, Rekey) and each.key != each.new:
            said.append(f"“{titles.get(each.key, each.key)}” keeps its place as “{each.title}”")
    return said
