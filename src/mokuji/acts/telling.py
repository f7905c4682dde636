"""Plans and acts in words: one sentence for a plan, a few for the button that does it, and for the log."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from mokuji.acts.acts import PlanView
from mokuji.acts.seen import VisiblePlan
from mokuji.acts.wishes import Delete, LeadToSection, Libraries, LinkAddresses, LinkFrom, Rename, Split
from mokuji.core.base import names
from mokuji.core.base.phrases import counted
from mokuji.core.model.contents import Put, Rekey, Take

DONE = {
    "create": "Written",
    "import": "Brought in",
    "edit": "Edited",
    "rename": "Renamed",
    "contents": "Contents changed",
    "outline": "Outline put into the contents",
    "move": "Moved",
    "merge": "Merged",
    "split": "Split",
    "join": "Joined",
    "section": "Section renamed",
    "retarget": "References led elsewhere",
    "delete": "Deleted",
    "restore": "Restored",
    "aliases": "Other names changed",
    "create volume": "Volume made",
    "rename volume": "Volume renamed",
    "libraries": "Libraries changed",
    "language": "Language changed",
    "delete volume": "Volume deleted",
    "undo": "Undone",
    "link": "Linked",
    "category": "Category renamed",
    "category move": "Category moved",
    "file": "Filed",
    "slot": "Slot renamed",
    "slot value": "Value given",
    "extract": "Text made a page",
    "inline": "Text put in place of an insert",
    "inline everywhere": "Text put in place of inserts",
    "file rename": "File renamed",
    "file replace": "File replaced",
    "file delete": "File deleted",
    "source rename": "Source renamed",
    "source edit": "Source edited",
    "source delete": "Source deleted",
    "person rename": "Handle changed",
    "secret": "Secret taken out",
}
"""What the log calls an act."""


def sentence(view: PlanView) -> str:
    """What a plan will do, in one sentence or two."""
    made = view.plan
    if made is None:
        return ""
    if made.nothing_to_do and not made.in_the_way:
        return "That is so already; nothing would change."
    said = [_HEADS[made.act](view, made)]
    said += _following(view, made)
    return " ".join(each for each in said if each)


def _rename(view: PlanView, made: VisiblePlan) -> str:
    title = made.facts["to"]
    if not view.references and not view.hidden_references:
        return (
            f"No page refers to “{made.facts['from']}” by its title, so only the title changes to “{title}”."
        )
    present = isinstance(view.wish, Rename) and view.wish.present_words
    what = "will keep the words they show, and lead to" if present else "will say"
    kept = ""
    if view.labels and not present:
        kept = f"; {view.labels} {'keeps its own label' if view.labels == 1 else 'keep their own labels'}"
    return f"{_references(view)} {what} “{title}”{kept}. None will be left without a page."


def _references(view: PlanView) -> str:
    pages = [change for change in view.changes if change.renamed]
    volumes = {change.head.volume for change in pages}
    across = f" of {len(volumes)} volumes" if len(volumes) > 1 else ""
    return f"{counted(view.references, 'reference')} in {counted(len(pages), 'page')}{across}"


def _contents(_: PlanView, made: VisiblePlan) -> str:
    unplaced = list(made.facts.get("unplaced", ()))
    taken = sum(isinstance(each, Take) for each in made.contents) - len(unplaced)
    rest = len(made.contents) - taken - len(unplaced)
    said = []
    if rest:
        said.append(f"{counted(rest, 'name')} {'gets' if rest == 1 else 'get'} another place")
    if taken:
        said.append(f"{counted(taken, 'unwritten name')} {'loses its' if taken == 1 else 'lose their'} place")
    if unplaced:
        named = ", ".join(f"“{each}”" for each in unplaced[:5])
        more = f" and {len(unplaced) - 5} more" if len(unplaced) > 5 else ""
        return f"{named}{more} will have no place in the contents: readers come there only by references." + (
            f" {' and '.join(said)}." if said else ""
        )
    return f"{' and '.join(said)} in the contents. No text changes, and no reference."


def _outline(_: PlanView, made: VisiblePlan) -> str:
    placed, written, had = (made.facts[each] for each in ("placed", "written", "had"))
    said = f"{counted(placed, 'name')} {'gets' if placed == 1 else 'get'} a place in the contents"
    if written:
        said += f", {written} of {'them' if placed > 1 else 'it'} written already"
    if had:
        said += (
            f"; {had} {'has a place already and keeps' if had == 1 else 'have a place already and keep'} it"
        )
    return f"{said}. No text changes."


def _move(_: PlanView, made: VisiblePlan) -> str:
    return f"{counted(made.facts['pages'], 'page')} will be in “{made.facts['to']}” instead of “{made.facts['from']}”."


def _merge(view: PlanView, made: VisiblePlan) -> str:
    how = {
        "after": "its text comes behind the other",
        "before": "its text comes before the other",
        "keep": "its text is not kept",
        "edited": "the text is the one you wrote",
    }[str(getattr(view.wish, "texts", "after"))]
    return f"“{made.facts['from']}” becomes part of “{made.facts['to']}”: {how}."


def _split(view: PlanView, made: VisiblePlan) -> str:
    leave = (
        "an insert of it" if isinstance(view.wish, Split) and view.wish.leave == "insert" else "a link to it"
    )
    return f"The section “{made.facts['section']}” becomes a page “{made.facts['to']}”; {leave} stays in its place."


def _join(_: PlanView, made: VisiblePlan) -> str:
    return f"“{made.facts['from']}” becomes a section of “{made.facts['to']}”."


def _section(_: PlanView, made: VisiblePlan) -> str:
    return f"The section “{made.facts['from']}” will be called “{made.facts['to']}”."


def _retarget(view: PlanView, made: VisiblePlan) -> str:
    return f"{_references(view)} to “{made.facts['from']}” will lead to “{made.facts['to']}”."


def _delete(view: PlanView, made: VisiblePlan) -> str:
    pages = counted(made.facts["pages"], "page")
    head = f"{pages} {'goes' if made.facts['pages'] == 1 else 'go'} to the trash, and can be restored for 60 days."
    if isinstance(view.wish, Delete) and view.wish.references == "words":
        changed = len(view.followed)
        return f"{head} References on {counted(changed, 'page')} become plain words." if changed else head
    return head


def _restore(_: PlanView, made: VisiblePlan) -> str:
    return f"{counted(made.facts['pages'], 'page')} {'comes' if made.facts['pages'] == 1 else 'come'} back."


def _aliases(_: PlanView, made: VisiblePlan) -> str:
    dead = made.facts["dead"]
    found = ", ".join(f"“{each}”" for each in made.facts["aliases"] if each not in dead)
    said = f"The page will also be found as {found}." if found else "The page will be found by no other name."
    if dead:
        one = len(dead) == 1
        said += (
            f" {', '.join(f'“{each}”' for each in dead)} {'is the title of a page' if one else 'are titles of pages'} "
            f"of this volume: {'it leads' if one else 'they lead'} there, and never to this page as another name."
        )
    return said


def _create_volume(_: PlanView, made: VisiblePlan) -> str:
    return f"A volume “{made.facts['to']}” will be made, and you own it."


def _rename_volume(_: PlanView, made: VisiblePlan) -> str:
    return f"The volume “{made.facts['from']}” will be called “{made.facts['to']}”."


def _libraries(view: PlanView, made: VisiblePlan) -> str:
    asked = view.wish.libraries if isinstance(view.wish, Libraries) else ()
    by_key = {volume.key: volume.title for volume in view.volumes.values()}
    titles = [f"“{by_key[names.key(key)]}”" for key in asked if names.key(key) in by_key]
    if not titles:
        return f"Inserts of “{made.facts['to']}” will look in their own volume only."
    return (
        f"Inserts of “{made.facts['to']}” will look in their own volume, then in {', then in '.join(titles)}."
    )


def _language(_: PlanView, made: VisiblePlan) -> str:
    language = made.facts["language"]
    if not language:
        return f"It is not said any more which language “{made.facts['to']}” is written in."
    return (
        f"“{made.facts['to']}” will be said to be written in “{language}”: browsers and screen readers are told so, "
        "and its signal words begin notices."
    )


def _delete_volume(_: PlanView, made: VisiblePlan) -> str:
    return f"The volume “{made.facts['from']}” goes to the trash with {counted(made.facts['pages'], 'page')}."


def _undo(view: PlanView, made: VisiblePlan) -> str:
    act = DONE.get(view.act.act, view.act.act).lower() if view.act else "this"
    exact = int(made.facts.get("restored", 0))
    said = f"What was {act} is taken back."
    if copies := int(made.facts.get("copies taken back", 0)):
        one = copies == 1
        said += (
            f" {counted(copies, 'file')} that {'was' if one else 'were'} copied for it {'goes' if one else 'go'}, "
            "unless another page names it by now."
        )
    for then, now, _ in made.facts.get("since", ())[:5]:
        said += f" “{then}” is called “{now}” since; that name is taken back with it."
    if exact:
        said += f" {counted(exact, 'page')} {'gets' if exact == 1 else 'get'} the very text back that stood there."
    if made.conflicts:
        number = len(made.conflicts)
        said += f" {counted(number, 'page')} {'was' if number == 1 else 'were'} changed by others in the same places."
    if made.hidden_conflicts:
        said += (
            " A page that is closed to you was changed by others in the same places: ask an owner of its volume to "
            "take this back."
        )
    return said


def _link(view: PlanView, made: VisiblePlan) -> str:
    number = int(made.facts.get("links", 0))
    if isinstance(view.wish, LinkFrom):
        return f"“{made.facts['from']}” will refer to “{made.facts['to']}” at its end."
    if isinstance(view.wish, LeadToSection):
        return f"The reference on “{made.facts['to']}” will lead to “{made.facts['section']}”."
    if isinstance(view.wish, LinkAddresses):
        addresses = counted(number, "address", "addresses")
        return (
            f"{addresses} on “{made.facts['to']}” will be {'a reference' if number == 1 else 'references'}."
        )
    return f"{counted(number, 'mention')} will be linked. Readers go on seeing the same words."


def _category(_: PlanView, made: VisiblePlan) -> str:
    facts = made.facts
    marks = f", {counted(facts['marks'], 'mark')} among it" if facts["marks"] else ""
    return (
        f"What is filed under “{facts['from']}” will be filed under “{facts['to']}”: "
        f"{counted(facts['pages'], 'page')}{marks}."
    )


def _category_move(_: PlanView, made: VisiblePlan) -> str:
    under = " and ".join(f"“{each}”" for each in made.facts["under"])
    return f"“{made.facts['from']}” will stand {f'below {under}' if under else 'at the top'}."


def _file(_: PlanView, made: VisiblePlan) -> str:
    named = ", ".join(f"“{each}”" for each in made.facts["categories"])
    return f"The page will be filed under {named}." if named else "The page will be filed nowhere."


def _slot(_: PlanView, made: VisiblePlan) -> str:
    facts = made.facts
    one = facts["places"] == 1
    given = f"{counted(facts['places'], 'place')} {'gives' if one else 'give'} it a value, and "
    return (
        f"The slot “{facts['from']}” of “{facts['template']}” will be called “{facts['to']}”. {given}"
        f"{'follows' if one else 'follow'}."
    )


def _slot_value(_: PlanView, made: VisiblePlan) -> str:
    facts = made.facts
    return (
        f"{counted(facts['places'], 'place')} that {'gives' if facts['places'] == 1 else 'give'} no “{facts['slot']}” "
        f"to “{facts['template']}” will give “{facts['to']}”."
    )


def _extract(_: PlanView, made: VisiblePlan) -> str:
    facts = made.facts
    what = "template" if facts["template"] else "page"
    more = facts["places"] - 1
    elsewhere = (
        f" So will {counted(more, 'more place')} that {'says' if more == 1 else 'say'} the same."
        if more
        else ""
    )
    return f"The text will be the {what} “{facts['to']}”, and an insert of it will stand in its place.{elsewhere}"


def _inline(_: PlanView, made: VisiblePlan) -> str:
    return (
        f"The text of “{made.facts['template']}” will stand in the place of the insert; readers see the same."
    )


def _inline_everywhere(_: PlanView, made: VisiblePlan) -> str:
    facts = made.facts
    said = [
        f"The text of “{facts['template']}” will stand in the place of {counted(facts['places'], 'insert')}; "
        "readers see the same."
    ]
    if facts["left"]:
        said.append(f"{counted(facts['left'], 'insert')} will stay: {'; '.join(facts['why'])}.")
    if facts["trash"]:
        said.append("Nothing inserts the page then, and it goes to the trash.")
    return " ".join(said)


def _renamed_thing(_: PlanView, made: VisiblePlan) -> str:
    facts = made.facts
    what = {"file": "The file", "source": "The source", "person": "The person"}[made.act.partition(" ")[0]]
    places = facts["places"]
    follows = (
        f" {counted(places, 'place')} on {counted(facts['pages'], 'page')} {'follows' if places == 1 else 'follow'}."
        if places
        else " Nothing names it yet."
    )
    return f"{what} “{facts['from']}” will be called “{facts['to']}”.{follows}"


def _replaced_file(_: PlanView, made: VisiblePlan) -> str:
    facts = made.facts
    said = f"“{facts['from']}” will be the other file; what it was is kept as a former version."
    if facts["from"] != facts["to"]:
        said += (
            f" It is of another type, so it will be called “{facts['to']}”: {counted(facts['places'], 'place')} "
            f"on {counted(facts['pages'], 'page')} {'follows' if facts['places'] == 1 else 'follow'}."
        )
    return said


def _removed_thing(_: PlanView, made: VisiblePlan) -> str:
    facts = made.facts
    what = "file" if made.act == "file delete" else "source"
    said = f"The {what} “{facts['from']}” goes."
    if facts["to"]:
        return f"{said} {counted(facts['places'], 'place')} will name “{facts['to']}” instead."
    if facts["left"]:
        one = facts["left"] == 1
        name = "names" if one else "name"
        return f"{said} {counted(facts['left'], 'place')} {name} it, and will name what is missing."
    return f"{said} Nothing names it."


def _edited_source(_: PlanView, made: VisiblePlan) -> str:
    return f"The source “{made.facts['to']}” will read otherwise wherever it is cited."


_HEADS: Mapping[str, Callable[[PlanView, VisiblePlan], str]] = {
    "rename": _rename,
    "contents": _contents,
    "outline": _outline,
    "move": _move,
    "merge": _merge,
    "split": _split,
    "join": _join,
    "section": _section,
    "retarget": _retarget,
    "delete": _delete,
    "restore": _restore,
    "aliases": _aliases,
    "create volume": _create_volume,
    "rename volume": _rename_volume,
    "libraries": _libraries,
    "language": _language,
    "delete volume": _delete_volume,
    "undo": _undo,
    "link": _link,
    "category": _category,
    "category move": _category_move,
    "file": _file,
    "slot": _slot,
    "slot value": _slot_value,
    "extract": _extract,
    "inline": _inline,
    "inline everywhere": _inline_everywhere,
    "file rename": _renamed_thing,
    "file replace": _replaced_file,
    "file delete": _removed_thing,
    "source rename": _renamed_thing,
    "source edit": _edited_source,
    "source delete": _removed_thing,
    "person rename": _renamed_thing,
}


def _following(view: PlanView, made: VisiblePlan) -> list[str]:
    """What follows, what is found again, what is lost; in this order."""
    said: list[str] = []
    if view.references and made.act not in {"rename", "retarget"}:
        said.append(f"{_references(view)} {'follows' if view.references == 1 else 'follow'}.")
    if made.sections:
        said.append(
            f"{counted(made.sections, 'section reference')} {'follows' if made.sections == 1 else 'follow'}."
        )
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
    made = view.plan
    if made is None:
        return "Do it"
    number = view.references
    update = (
        f" and update {counted(number, 'reference')} in {counted(len(view.changes), 'page')}"
        if number
        else ""
    )
    act = {
        "rename": "Rename",
        "contents": "Change the contents",
        "outline": "Put the outline in",
        "move": f"Move {counted(int(made.facts.get('pages', 1)), 'page')}",
        "merge": "Merge",
        "split": "Make it a page",
        "join": "Make it a section",
        "section": "Rename the section",
        "retarget": f"Lead {counted(number, 'reference')} there",
        "delete": f"Delete {counted(int(made.facts.get('pages', 1)), 'page')}",
        "restore": f"Restore {counted(int(made.facts.get('pages', 1)), 'page')}",
        "aliases": "Change the other names",
        "create volume": "Make the volume",
        "rename volume": "Rename the volume",
        "libraries": "Change the libraries",
        "language": "Change the language",
        "delete volume": f"Delete the volume with {counted(int(made.facts.get('pages', 0)), 'page')}",
        "undo": "Undo it",
        "category": "Rename the category",
        "category move": "Move the category",
        "file": "File it",
        "slot": "Rename the slot",
        "slot value": f"Give it in {counted(int(made.facts.get('places', 0)), 'place')}",
        "extract": f"Make it a {'template' if made.facts.get('template') else 'page'}",
        "inline": "Put the text there",
        "inline everywhere": f"Put the text in {counted(int(made.facts.get('places', 0)), 'place')}",
        "file rename": "Rename the file",
        "file replace": "Replace the file",
        "file delete": "Delete the file",
        "source rename": "Rename the source",
        "source edit": "Change the source",
        "source delete": "Delete the source",
        "person rename": "Change the handle",
        "link": "Lead it there"
        if isinstance(view.wish, LeadToSection)
        else "Link it"
        if isinstance(view.wish, LinkFrom)
        else f"Link {counted(int(made.facts.get('links', 0)), 'place')}",
    }[made.act]
    return act + ("" if made.act in {"retarget", "undo", "delete", "restore"} else update)


def placings(view: PlanView, most: int = 40) -> list[str]:
    """What becomes of places in the contents, in words."""
    if view.plan is None:
        return []
    titles: dict[str, str] = {}
    if view.place is not None:
        titles = {entry.key: entry.title for entry in view.place.contents.entries}
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
