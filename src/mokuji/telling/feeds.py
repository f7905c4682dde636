"""Feeds as Atom (RFC 4287), written by feedgen."""

from __future__ import annotations

from datetime import UTC, datetime
from urllib.parse import urlsplit

from feedgen.entry import FeedEntry
from feedgen.feed import FeedGenerator
from markupsafe import Markup, escape

from mokuji.core.diff.diff import Piece, near
from mokuji.services.telling.feeding import Feed
from mokuji.services.telling.inbox import Changed, Entry
from mokuji.telling import words
from mokuji.telling.places import Places

NEVER = datetime(2000, 1, 1, tzinfo=UTC)
"""When a feed without changes was changed: a feed has to say it."""


def title(feed: Feed) -> str:
    """What a feed is called."""
    home = feed.volume.title if feed.volume is not None else "all volumes"
    of = {"branch": f"{feed.name} and below", "category": f"Category {feed.name}"}.get(
        feed.wanted.kind, feed.name
    )
    return f"{of} · {home}" if of else home


def atom(feed: Feed, places: Places, address: str, page: str) -> bytes:
    """A feed as Atom; ``address`` is its own, ``page`` that of what it is about."""
    host = urlsplit(address).hostname or "localhost"
    made = FeedGenerator()
    made.id(address)
    made.title(_plain(title(feed)))
    made.link(href=address, rel="self", type="application/atom+xml")
    made.link(href=page, rel="alternate", type="text/html")
    made.generator("Mokuji")
    made.updated(max((each.at for each in feed.entries), default=NEVER))
    for each in feed.entries:
        made.add_entry(_entry(each, places, host), order="append")
    written: bytes = made.atom_str(pretty=True)
    return written


def _entry(entry: Entry, places: Places, host: str) -> FeedEntry:
    assert entry.act is not None  # a feed has acts only
    made = FeedEntry()
    # A name for good (RFC 4151): the address of the change would be another one if the wiki moved.
    made.id(f"tag:{host},2026:change-{entry.act.id}")
    about, done = words.about(entry), words.done(entry)
    made.title(_plain(f"{about}: {done.lower()}" if about else done))
    made.author(name=_plain(entry.act.author))
    made.updated(entry.at)
    made.published(entry.at)
    there = next((each for each in entry.pages if not each.gone), None)
    made.link(
        href=places.page(there.volume.key, there.key) if there else places.change(entry.act.id),
        rel="alternate",
    )
    made.content(str(_content(entry, places)), type="html")
    return made


def _content(entry: Entry, places: Places) -> Markup:
    assert entry.act is not None
    parts: list[Markup] = []
    if entry.act.note:
        parts.append(Markup("<p>{}</p>").format(_plain(entry.act.note)))
    if entry.changed:
        parts.append(Markup("<div>{}</div>").format(Markup("").join(map(_line, entry.changed))))
    if len(entry.pages) > 1 or entry.more:
        names = Markup(", ").join(escape(_plain(page.title)) for page in entry.pages)
        more = f" and {entry.more} more" if entry.more else ""
        parts.append(Markup("<p>{}{}</p>").format(names, more))
    parts.append(Markup('<p><a href="{}">the change</a></p>').format(places.change(entry.act.id)))
    return Markup("").join(parts)


def _line(line: Changed) -> Markup:
    before = Markup("<p>− {}</p>").format(_pieces(line.before, "del")) if line.before else Markup("")
    after = Markup("<p>+ {}</p>").format(_pieces(line.after, "ins")) if line.after else Markup("")
    return before + after


_MARKED = {"del": Markup("<del>{}</del>"), "ins": Markup("<ins>{}</ins>")}


def _pieces(pieces: tuple[Piece, ...], tag: str) -> Markup:
    said = ((_plain(each.words), each.marked) for each in near(pieces))
    return Markup("").join(_MARKED[tag].format(words) if marked else escape(words) for words, marked in said)


def _plain(said: str) -> str:
    """Words without signs that XML cannot hold (XML 1.0, 2.2)."""
    return "".join(sign for sign in said if sign >= " " or sign in "\t\n\r")
