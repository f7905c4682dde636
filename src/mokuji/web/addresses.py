"""The web addresses of everything, in one place.

A page lies at ``/volume/page``, an act on it at ``/-/act/volume/page``. No
volume can have the key ``-`` (hyphens become spaces and are trimmed), so the
two never clash.
"""

from __future__ import annotations

from urllib.parse import quote, urlencode

from mokuji.core.base.names import address
from mokuji.services import site


def base() -> str:
    """What every address of the wiki begins with: the path that it lies under, mostly none."""
    return site.here().path


def at(path: str) -> str:
    """A room of the wiki by its path from the wiki's root."""
    return site.link(path)


def page(volume_key: str, page_key: str | None = None, anchor: str = "") -> str:
    """A volume, or a page in it, or a place on that page."""
    fragment = f"#{quote(anchor, safe='')}" if anchor else ""
    return site.link(address(volume_key, page_key)) + fragment


def room(name: str, **query: object) -> str:
    """A room of the whole wiki: new-volume, restore."""
    return _with(f"/-/{name}", query)


def act(name: str, volume_key: str, page_key: str | None = None, **query: object) -> str:
    """Something about a page (edit, backlinks, card), or about a volume."""
    return _with(f"/-/{name}{address(volume_key, page_key)}", query)


def revisions(
    volume_key: str,
    page_key: str,
    one: int | None = None,
    other: int | None = None,
    month: str = "",
    typed: int | None = None,
) -> str:
    """The revisions of a page, with what differs between two of them; the last two without. One that is given twice is
    shown by itself, as it is read or as it was ``typed``."""
    query: dict[str, object] = {"from": one, "to": other, "month": month or None, "typed": typed}
    query = {name: value for name, value in query.items() if value is not None}
    return _with(f"/-/revisions{address(volume_key, page_key)}", query)


def put_back(
    volume_key: str, page_key: str, one: int, other: int | None = None, passage: int | None = None
) -> str:
    """The desk with a revision put back; with two, what differs between them, or one passage of that."""
    query: dict[str, object] = {"from": one}
    query |= {name: value for name, value in {"to": other, "passage": passage}.items() if value is not None}
    return _with(f"/-/put-back{address(volume_key, page_key)}", query)


def became(volume_key: str, **query: object) -> str:
    """What became of a volume between two moments."""
    return _with(f"/-/became{address(volume_key)}", query)


def stood(volume_key: str, at: str = "") -> str:
    """A volume as it stood."""
    return _with(f"/-/stood{address(volume_key)}", {"at": at})


def lines(volume_key: str, page_key: str, at: int | None = None, line: int | None = None) -> str:
    """Who wrote each line of a page, or of one of its revisions; at one of its lines."""
    query: dict[str, object] = {} if at is None else {"at": at}
    return _with(f"/-/lines{address(volume_key, page_key)}", query) + (f"#l{line}" if line else "")


def plan(name: str, volume_key: str, page_key: str, **query: object) -> str:
    """The plan of an act on a page: rename, place, move, merge, split, join, section, retarget, delete, aliases."""
    return _with(f"/-/plan/{name}{address(volume_key, page_key)}", query)


def volume(name: str, volume_key: str, **query: object) -> str:
    """The plan of an act on a volume: rename, libraries, contents, delete."""
    return _with(f"/-/volume/{name}{address(volume_key)}", query)


def settings(volume_key: str, **query: object) -> str:
    """What an owner of a volume may set."""
    return _with(f"/-/settings{address(volume_key)}", query)


def volume_people(volume_key: str, **query: object) -> str:
    """The people of a volume."""
    return _with(f"/-/volume-people{address(volume_key)}", query)


def secret(volume_key: str) -> str:
    """Where a secret is taken out of a volume."""
    return site.link(f"/-/secret{address(volume_key)}")


def upkeep(volume_key: str, name: str = "") -> str:
    """The reports of a volume, or one of them."""
    return site.link(f"/-/upkeep{address(volume_key)}" + (f"/{name}" if name else ""))


def file(volume_key: str, name: str) -> str:
    """A file of a volume."""
    return site.link(f"/-/file{address(volume_key)}/{quote(name, safe='')}")


def about_file(volume_key: str, name: str) -> str:
    """What is known of a file of a volume."""
    return site.link(f"/-/about-file{address(volume_key)}/{quote(name, safe='')}")


def plan_file(name: str, volume_key: str, file_name: str, **query: object) -> str:
    """The plan of an act on a file: file-rename, file-replace, file-delete."""
    return _with(f"/-/plan/{name}{address(volume_key)}/{quote(file_name, safe='')}", query)


def files(volume_key: str, **query: object) -> str:
    """The files of a volume."""
    return _with(f"/-/files{address(volume_key)}", query)


def style(volume_key: str, **query: object) -> str:
    """The house style of a volume."""
    return _with(f"/-/style{address(volume_key)}", query)


def uses(volume_key: str, page_key: str, **query: object) -> str:
    """The places that use a page as an insert."""
    return _with(f"/-/uses{address(volume_key, page_key)}", query)


def category(volume_key: str, key: str, **query: object) -> str:
    """A category of a volume: its pages and passages."""
    return _with(f"/-/category{address(volume_key, key)}", query)


def sources(**query: object) -> str:
    """The sources of the wiki."""
    return _with("/-/sources", query)


def source(name: str, **query: object) -> str:
    """A source of the wiki."""
    return _with(f"/-/source/{quote(name, safe='')}", query)


def new_source(name: str = "") -> str:
    """The form of a new source."""
    return _with("/-/new-source", {"name": name})


def tasks(**query: object) -> str:
    """The tasks of all pages."""
    return _with("/-/tasks", query)


def fields(volume_key: str, **query: object) -> str:
    """The fields of the pages of a volume, as a table."""
    return _with(f"/-/fields{address(volume_key)}", query)


def materials(volume_key: str) -> str:
    """The templates and categories of a volume."""
    return site.link(f"/-/materials{address(volume_key)}")


def categories(volume_key: str, **query: object) -> str:
    """All categories of a volume."""
    return _with(f"/-/categories{address(volume_key)}", query)


def effect(volume_key: str, page_key: str) -> str:
    """What saving a text would do to the places that put its page in."""
    return site.link(f"/-/effect{address(volume_key, page_key)}")


def passage(volume_key: str, page_key: str, span: tuple[int, int] | None = None) -> str:
    """A passage of a page, to be shown beside a list; ``span`` is marked in it."""
    query: dict[str, object] = {} if span is None else {"start": span[0], "end": span[1]}
    return _with(f"/-/passage{address(volume_key, page_key)}", query)


def change(number: int, what: str = "", came: str = "") -> str:
    """A change set, or something done with it; ``came`` is the key of the volume that one came from."""
    return _with(f"/-/changes/{number}" + (f"/{what}" if what else ""), {"from": came})


def trash() -> str:
    """What lies in the trash."""
    return site.link("/-/trash")


def changes(**query: object) -> str:
    """What was done lately."""
    return _with("/-/changes", query)


def inbox(state: str = "", before: int | None = None) -> str:
    """What one was told: unread (empty), read, or put aside."""
    return _with("/-/inbox", {"state": state, "before": before})


def own_feed(word: str, volume_key: str, **query: object) -> str:
    """A feed of one's own, of a volume or of something in it; the word says whose it is."""
    return _with(f"/-/feed-of/{word}{address(volume_key)}", query)


def tell(volume_key: str, page_key: str) -> str:
    """How one is told of a page."""
    return site.link(f"/-/tell{address(volume_key, page_key)}")


def find(words: str = "", volume_key: str = "", **query: object) -> str:
    """The search."""
    return _with("/-/find", {"words": words, "volume": volume_key, **query})


def sign_in(back: str = "") -> str:
    """The sign-in page, and where to go afterwards."""
    return _with("/-/sign-in", {"back": back})


def _with(path: str, query: dict[str, object]) -> str:
    given = {name: value for name, value in query.items() if value not in ("", None)}
    return site.link(f"{path}?{urlencode(given)}" if given else path)


def is_local(address_: str) -> bool:
    """Whether an address leads into this wiki, so that signing in cannot send anybody elsewhere."""
    inside = address_.startswith(f"{base()}/") and not address_.startswith(("//", "/\\"))
    return inside and "\n" not in address_ and "/.." not in address_
