"""Categories taken away and brought in as SKOS concepts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.edits import apply
from mokuji.core.edit import front_edit
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.syntax.front_matter import read as read_front
from mokuji.formats import skos
from mokuji.formats.skos import Concept, Form
from mokuji.services.app_context import AppContext, ReadContext, find_head
from mokuji.services.reading.categories import categories_in
from mokuji.services.writing import writing
from mokuji.store import pages
from mokuji.store.database import reading
from mokuji.store.index import memberships
from mokuji.store.snapshot import StoredWiki


def export(
    app: AppContext,
    actor: Actor,
    volume_key: str,
    form: Form,
    address: Callable[[str, str], str],
    scheme: str,
) -> str:
    """The categories of a volume; ``address`` gives that of each, by the keys of volume and category."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        known = categories_in(context, volume)
        broader = memberships.broader(connection, volume.id)
        heads = [category.page.id for category in known if category.page is not None]
        summaries = pages.summaries(connection, heads)
        texts = StoredWiki(connection).pages(heads)
        concepts = []
        for category in known:
            page = texts.get(category.page.id) if category.page is not None else None
            others = read_front(page.text).names("aliases") if page is not None else ()
            told = summaries.get(category.page.id, "") if category.page is not None else ""
            wider = tuple(address(volume.key, key) for key in broader.get(category.key, ()))
            concepts.append(Concept(address(volume.key, category.key), category.name, others, told, wider))
        return skos.write(concepts, scheme, volume.title, form)


@dataclass(frozen=True, slots=True)
class BroughtIn:
    """What came of concepts: the titles of pages that were written, of pages that were changed, and of those that say
    all of it already."""

    written: tuple[str, ...]
    changed: tuple[str, ...]
    same: tuple[str, ...]


def bring_in(app: AppContext, actor: Actor, volume_key: str, data: str, form: Form) -> BroughtIn:
    """A page for each concept, with broader ones and other names in its front matter. A page that is there keeps its
    text and summary; what it lacks is added. Each page is a change of its own, to be undone by itself."""
    concepts = skos.read(data, form)
    for concept in concepts:  # before the first is written
        names.check_title(concept.name, what="name of a category")
    by_address = {each.address: each.name for each in concepts}
    written: list[str] = []
    changed: list[str] = []
    same: list[str] = []
    with reading(app.engine) as connection:
        volume = ReadContext(connection, actor).volume(volume_key, Permission.WRITE)
    for concept in concepts:
        name = names.check_title(concept.name, what="name of a category")
        wider = [by_address[one] for one in concept.broader if one in by_address]
        lists = {
            "broader": wider,
            "aliases": [one for one in concept.other_names if names.is_key(names.key(one))],
        }
        with reading(app.engine) as connection:
            head = find_head(connection, volume, name)
            text = StoredWiki(connection).pages([head.id])[head.id].text if head is not None else ""
        new = text
        if head is None and concept.definition:
            new = f"---\nsummary: {front_edit.scalar(concept.definition)}\n---\n"
        new = apply(new, front_edit.add_lists(new, lists, name))
        if head is not None and new == text:
            same.append(head.title)
            continue
        revision = head.revision if head is not None else 0
        title = head.title if head is not None else name
        writing.save(
            app, actor, writing.Save(volume_key, title, new, revision=revision, note="Category brought in")
        )
        (changed if head is not None else written).append(title)
    return BroughtIn(tuple(written), tuple(changed), tuple(same))
