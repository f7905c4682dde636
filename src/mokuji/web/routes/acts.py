"""Acts on pages and volumes: what is wished for, the plan, the doing; contents as text; the trash; the log.

All acts go one way: an address with the wish in its query shows the plan, and
a form with the digest of that plan does it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from urllib.parse import parse_qsl, urlencode

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from mokuji.acts import acts, telling, thing_wishes, wishes
from mokuji.core.base import names
from mokuji.core.base.errors import Missing, MokujiError
from mokuji.core.diff.diff import changed_lines
from mokuji.services.reading import history, reading
from mokuji.services.reading import trash as trash_service
from mokuji.web import addresses
from mokuji.web.pages import Form, Visitor, Who, refusal, see

router = APIRouter()

SHOWN_PAGES = 25
SHOWN_LINES = 6
Query = Mapping[str, str]


def _number(given: Query, name: str) -> int:
    typed = given.get(name, "")
    return int(typed) if typed.isdecimal() and len(typed) < 18 else 0


def _several(given: Query, name: str) -> tuple[str, ...]:
    return tuple(filter(None, given.get(name, "").splitlines()))


def _present(given: Query) -> bool:
    return given.get("words") == "present"


def _one_of(given: Query, name: str, *known: str) -> str:
    typed = given.get(name, "")
    return typed if typed in known else known[0]


def _chosen(given: Query) -> tuple[tuple[int, int, int], ...] | None:
    if "only" not in given:
        return None
    numbers = (each.split("-") for each in _several(given, "only"))
    return tuple(
        (int(a), int(b), int(c)) for a, b, c in (n for n in numbers if len(n) == 3) if (a + b + c).isdecimal()
    )


def _slots(given: Query) -> tuple[tuple[str, str], ...]:
    """Words that become slots, typed as “name: words” lines."""
    pairs = (line.partition(":") for line in given.get("slots", "").splitlines() if line.strip())
    return tuple((name.strip(), words.strip()) for name, _, words in pairs)


def _marks(given: Query) -> tuple[tuple[int, int, int, int], ...]:
    """Marked mentions: page, start, end and target of each."""
    numbers = (tuple(each.split("-")) for each in _several(given, "only"))
    fit = (n for n in numbers if len(n) == 4 and all(x.isdecimal() and len(x) < 18 for x in n))
    return tuple((int(a), int(b), int(c), int(d)) for a, b, c, d in fit)


_WISHES: Mapping[str, Callable[[str, str, Query], wishes.Wish]] = {
    "rename": lambda v, p, q: wishes.Rename(
        v, p, q.get("title", "") or p, _present(q), "alias" in q, _several(q, "rows")
    ),
    "place": lambda v, p, q: wishes.Replace(
        v, p, q.get("under", ""), "first" if "first" in q else q.get("after", "").strip() or "last"
    ),
    "move": lambda v, p, q: wishes.Move(
        v, p, q.get("to", ""), "alone" not in q, q.get("under", ""), "along" if "revisions" in q else ""
    ),
    "merge": lambda v, p, q: wishes.Merge(
        v,
        p,
        q.get("into", ""),
        _one_of(q, "texts", "after", "before", "keep", "edited"),  # type: ignore[arg-type]
        q.get("edited"),
        _present(q),
        "noalias" not in q,
        browser=True,
    ),
    "split": lambda v, p, q: wishes.Split(
        v,
        p,
        _number(q, "section"),
        q.get("title", ""),
        _one_of(q, "leave", "link", "insert"),  # type: ignore[arg-type]
        _present(q),
    ),
    "join": lambda v, p, q: wishes.Join(v, p, q.get("into", ""), _present(q)),
    "section": lambda v, p, q: wishes.Section(v, p, _number(q, "section"), q.get("title", ""), _present(q)),
    "retarget": lambda v, p, q: wishes.Retarget(
        v, p, q.get("to", ""), _present(q), _chosen(q), "absolute" in q
    ),
    "delete": lambda v, p, q: wishes.Delete(
        v,
        p,
        "branch" in q,
        "retarget" if q.get("target") else _one_of(q, "references", "leave", "words", "retarget"),  # type: ignore[arg-type]
        q.get("target", ""),
    ),
    "link": lambda v, p, q: wishes.Link(v, p, None, _one_of(q, "which", "first", "all") == "first"),
    "link-from": lambda v, p, q: wishes.LinkFrom(v, p, q.get("source", "")),
    "address": lambda v, p, q: wishes.LinkAddresses(v, p, _several(q, "origin")),
    "lead-section": lambda v, p, q: wishes.LeadToSection(
        v, p, _number(q, "reference"), q.get("section", ""), _number(q, "revision")
    ),
    "alias": lambda v, p, q: wishes.AddAlias(v, p, q.get("of", "")),
    "category": lambda v, p, q: wishes.RenameCategory(v, p, q.get("to", "")),
    "file": lambda v, p, q: wishes.File(v, p, q.get("add", "")),
    "category-move": lambda v, p, q: wishes.MoveCategory(v, p, _several(q, "under")),
    "slot": lambda v, p, q: wishes.RenameSlot(v, p, q.get("slot", ""), q.get("to", "")),
    "value": lambda v, p, q: wishes.GiveValue(v, p, q.get("slot", ""), q.get("value", "")),
    "extract": lambda v, p, q: wishes.Extract(
        v,
        p,
        _number(q, "start"),
        _number(q, "end"),
        q.get("title", ""),
        _one_of(q, "kind", "template", "page") == "template",
        _slots(q),
        _number(q, "revision"),
        _several(q, "rows"),
        from_browser="stored" not in q,
    ),
    "inline": lambda v, p, q: wishes.Inline(v, p, _number(q, "insert"), _number(q, "revision")),
    "inline-all": lambda v, p, q: wishes.InlineEverywhere(v, p, "trash" in q),
    "file-rename": lambda v, p, q: thing_wishes.RenameFile(v, p, q.get("to", "")),
    "file-replace": lambda v, p, q: thing_wishes.ReplaceFile(v, p, q.get("content", "")),
    "file-delete": lambda v, p, q: thing_wishes.DeleteFile(
        v, p, q.get("instead", "") if q.get("how") == "instead" else ""
    ),
    "source-rename": lambda v, p, q: thing_wishes.RenameSource(v, p, q.get("to", "")),
    "source-delete": lambda v, p, q: thing_wishes.DeleteSource(
        v, p, q.get("instead", "") if q.get("how") == "instead" else ""
    ),
    "person-rename": lambda v, p, q: thing_wishes.RenamePerson(v, p, q.get("to", "")),
    "aliases": lambda v, p, q: wishes.Aliases(
        v, p, tuple(each.strip() for each in q.get("aliases", "").splitlines() if each.strip())
    ),
}
"""Acts on a page by the name that stands in their address."""
_ASKED = {
    "rename": "title",
    "place": "after",
    "move": "to",
    "merge": "into",
    "split": "title",
    "join": "into",
    "section": "title",
    "retarget": "to",
    "delete": "references",
    "aliases": "aliases",
    "link": "which",
    "link-from": "source",
    "alias": "of",
    "category": "to",
    "category-move": "under",
    "file": "add",
    "slot": "to",
    "value": "value",
    "extract": "title",
    "inline": "insert",
    "inline-all": "asked",
    "address": "origin",
    "lead-section": "section",
    "file-rename": "to",
    "file-replace": "content",
    "file-delete": "how",
    "source-rename": "to",
    "source-delete": "how",
    "person-rename": "to",
}
"""The field of each without which its question was not answered yet."""
_VOLUME_WISHES: Mapping[str, Callable[[str, Query], wishes.Wish]] = {
    "rename": lambda v, q: wishes.RenameVolume(v, q.get("title", "")),
    "libraries": lambda v, q: wishes.Libraries(v, _several(q, "libraries")),
    "language": lambda v, q: wishes.Language(v, q.get("language", "")),
    "delete": lambda v, _: wishes.DeleteVolume(v),
    "contents": lambda v, q: wishes.Rearrange(v, q.get("text", ""), q.get("page", "")),
    "outline": lambda v, q: wishes.Outline(v, q.get("text", ""), q.get("under", "")),
    "link": lambda v, q: wishes.Link(v, "", _marks(q)),
}
_VOLUME_ASKED = {
    "rename": "title",
    "libraries": "asked",
    "language": "language",
    "delete": "",
    "contents": "text",
    "outline": "text",
    "link": "",
}


def _query(request: Request) -> dict[str, str]:
    """The fields of an address; of a field that comes several times all, one a line."""
    found: dict[str, str] = {}
    for name, value in parse_qsl(request.url.query, keep_blank_values=True):
        found[name] = f"{found[name]}\n{value}" if name in found else value
    return found


def _plan_page(
    who: Visitor, view: acts.PlanView, name: str, query: Query, *, asked: bool, stale: bool = False
) -> Response:
    most = SHOWN_PAGES * (min(_number(query, "more"), 400) + 1)
    shown = view.changes[:most]
    refused = asked and view.refusal is not None
    kept = {key: value for key, value in query.items() if key not in {"more", "token", "digest", "note"}}
    return who.page(
        "plan.html",
        409 if refused or stale else 200,
        view=view,
        act=name,
        asked=asked,
        stale=stale,
        query=kept,
        more_at="?" + urlencode({**kept, "more": str(_number(query, "more") + 1)}),
        sentence=telling.sentence(view) if asked else "",
        button=telling.button(view),
        placings=telling.placings(view),
        shown=shown,
        lines={
            change.head.id: changed_lines(change.before, change.edits, SHOWN_LINES + 1) for change in shown
        },
        most_lines=SHOWN_LINES,
        lit="changes"
        if name in {"undo", "restore"}
        else ("materials" if name.startswith(("file-", "source-")) else "read"),
    )


def _wish(name: str, volume: str, page: str, query: Query) -> wishes.Wish:
    make = _WISHES.get(name)
    if make is None:
        raise Missing("There is no such act on a page.")
    return make(volume, page, query)


@router.get("/-/plan/{name}/{volume}/{page:path}")
def plan(who: Who, request: Request, name: str, volume: str, page: str) -> Response:
    """The plan of an act on a page; before its question is answered, the question."""
    query = _query(request)
    asked = _ASKED.get(name, "") in query
    if query.get("texts") == "edited" and "edited" not in query:
        asked = False  # the text of both is shown first, to be brought together
    try:
        view = acts.plan(who.desk, who.actor, _wish(name, volume, page, query))
    except Missing as missing:
        return _at_its_new_address(who, missing, name, volume, page, query)
    return _plan_page(who, view, name, query, asked=asked)


def _at_its_new_address(
    who: Visitor, missing: Missing, name: str, volume: str, page: str, query: Query
) -> Response:
    """The plan of a page that was renamed or moved while somebody thought about it, at its address of now; Missing for
    one that is not there at all."""
    there = reading.formerly(who.desk, who.actor, volume, page) if missing.code == "page_missing" else None
    if there is None or there[1] is None:
        raise missing
    kept = {key: value for key, value in query.items() if key not in {"token", "digest", "note"}}
    return see(addresses.plan(name, there[0], there[1], **kept))


@router.post("/-/plan/{name}/{volume}/{page:path}")
def do(who: Who, form: Form, name: str, volume: str, page: str) -> Response:
    """Does the act that was seen; shows the fresh plan if it is another one by now."""
    try:
        return _do(who, _wish(name, volume, page, form), name, form)
    except Missing as missing:
        return _at_its_new_address(who, missing, name, volume, page, form)


def _do(who: Visitor, wish: wishes.Wish, name: str, form: Query) -> Response:
    done = acts.apply(who.desk, who.actor, wish, form.get("digest", ""), note=form.get("note", ""))
    if isinstance(done, acts.Applied):
        return see(addresses.change(done.change_set) + "?done=1")
    return _plan_page(who, done, name, form, asked=True, stale=bool(form.get("digest")))


def _at_once(who: Visitor, wish: wishes.Wish) -> Response:
    """Does an act if it changes nothing but the contents; otherwise its plan is to be looked at first."""
    view = acts.plan(who.desk, who.actor, wish)
    made = view.plan
    if made is None or not view.can_be_done or not made.only_places:
        return JSONResponse({"change": None})
    done = acts.apply(who.desk, who.actor, wish, view.digest)
    return JSONResponse({"change": done.change_set if isinstance(done, acts.Applied) else None})


@router.post("/-/place-now/{volume}/{page:path}")
def place_now(who: Who, form: Form, volume: str, page: str) -> Response:
    """Another place for a page, at once where no text changes by it; for the script of the contents."""
    try:
        return _at_once(who, _wish("place", volume, page, form))
    except MokujiError as fault:
        return refusal(fault)


@router.post("/-/undo-now/{number}")
def undo_now(who: Who, form: Form, number: int) -> Response:
    """Takes such an act back."""
    try:
        return _at_once(who, wishes.Undo(number))
    except MokujiError as fault:
        return refusal(fault)


@router.get("/-/rename/{volume}/{page:path}")
def rename(volume: str, page: str) -> Response:
    """The address that renaming had."""
    return RedirectResponse(addresses.plan("rename", volume, page), 308)


@router.get("/-/volume/{name}/{volume}")
def plan_volume(who: Who, request: Request, name: str, volume: str) -> Response:
    """The plan of an act on a volume."""
    query = _query(request)
    make = _VOLUME_WISHES.get(name)
    if make is None:
        raise Missing("There is no such act on a volume.")
    asked = _VOLUME_ASKED[name] in query or not _VOLUME_ASKED[name]
    if name == "contents" and not asked:
        query["text"] = reading.contents_text(who.desk, who.actor, volume, query.get("page", ""))
    view = acts.plan(who.desk, who.actor, make(volume, query))
    return _plan_page(who, view, f"volume-{name}", query, asked=asked)


@router.post("/-/volume/{name}/{volume}")
def do_volume(who: Who, form: Form, name: str, volume: str) -> Response:
    """Does an act on a volume that was seen. Contents are sent as a form first, since they can be long."""
    make = _VOLUME_WISHES.get(name)
    if make is None:
        raise Missing("There is no such act on a volume.")
    if _VOLUME_ASKED[name] not in {"", *form}:
        return see(addresses.volume(name, volume))  # without its answer, the question
    return _do(who, make(volume, form), f"volume-{name}", form)


@router.get("/-/new-volume")
def plan_new_volume(who: Who, request: Request) -> Response:
    """The plan to make a volume."""
    query = _query(request)
    view = acts.plan(who.desk, who.actor, wishes.CreateVolume(query.get("title", ""), "closed" in query))
    return _plan_page(who, view, "new-volume", query, asked="title" in query)


@router.post("/-/new-volume")
def new_volume(who: Who, form: Form) -> Response:
    """Makes a volume."""
    wish = wishes.CreateVolume(form.get("title", ""), "closed" in form)
    done = acts.apply(who.desk, who.actor, wish, form.get("digest", ""), note=form.get("note", ""))
    if isinstance(done, acts.Applied):
        return see(addresses.page(names.key(wish.title)))
    return _plan_page(who, done, "new-volume", form, asked=True, stale=bool(form.get("digest")))


@router.post("/-/front/{volume}")
def front(who: Who, form: Form, volume: str) -> Response:
    """Lets a volume open on another page."""
    return see(addresses.page(reading.choose_front(who.desk, who.actor, volume, form.get("page", "")).key))


@router.get("/-/trash")
def trash(who: Who, before: int | None = None) -> Response:
    """What lies in the trash, by act."""
    return who.page("trash.html", view=trash_service.trash_view(who.desk, who.actor, before), lit="changes")


def _restore(query: Query) -> wishes.Restore:
    pages = tuple(int(each) for each in _several(query, "page") if each.isdecimal() and len(each) < 18)
    titles = {
        int(name.removeprefix("title-")): value
        for name, value in query.items()
        if name.startswith("title-") and name.removeprefix("title-").isdecimal() and value.strip()
    }
    return wishes.Restore("", pages, titles)


@router.get("/-/restore")
def plan_restore(who: Who, request: Request) -> Response:
    """The plan to restore pages."""
    query = _query(request)
    return _plan_page(who, acts.plan(who.desk, who.actor, _restore(query)), "restore", query, asked=True)


@router.post("/-/restore")
def restore(who: Who, form: Form) -> Response:
    """Restores pages."""
    return _do(who, _restore(form), "restore", form)


@router.get("/-/changes")
def changes(who: Who, before: int | None = None, volume: str = "") -> Response:
    """What was done lately in all volumes one may read, or in one of them."""
    found, volumes, more = history.acts(who.desk, who.actor, before, volume_key=volume)
    only = next((each for each in volumes.values() if volume and each.key == names.key(volume)), None)
    kept = {"volume": only.key if only else "", "from": who.request.query_params.get("from", "")}
    return who.page(
        "changes.html",
        acts=found,
        volumes=volumes,
        more=more,
        names=telling.DONE,
        only=only,
        kept=kept,
        lit="changes",
    )


@router.get("/-/changes/{number}")
def change(who: Who, number: int, done: bool = False) -> Response:
    """One act with the pages it changed."""
    view = history.one_act(who.desk, who.actor, number)
    return who.page("change.html", view=view, done=done, names=telling.DONE, lit="changes")


def _undo(number: int, query: Query) -> wishes.Undo:
    keep = tuple(int(each) for each in _several(query, "keep") if each.isdecimal() and len(each) < 18)
    return wishes.Undo(number, keep)


@router.get("/-/changes/{number}/undo")
def plan_undo(who: Who, request: Request, number: int) -> Response:
    """What undoing would do."""
    query = _query(request)
    return _plan_page(who, acts.plan(who.desk, who.actor, _undo(number, query)), "undo", query, asked=True)


@router.post("/-/changes/{number}/undo")
def undo(who: Who, form: Form, number: int) -> Response:
    """Undoes the act whose undoing was seen."""
    return _do(who, _undo(number, form), "undo", form)
