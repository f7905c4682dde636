"""What an older text refers to: names that pages had then lead to where these pages are now."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Resolver, unwritten_place
from mokuji.core.model.wiki import Named, Place, Volume
from mokuji.core.syntax.reference import Kind, Reference
from mokuji.services.app_context import ReadContext
from mokuji.store import volumes as stored_volumes
from mokuji.store.snapshot import StoredWiki


@dataclass(frozen=True, slots=True)
class FormerNames:
    """The pages that names of a text without a page led to once, by place; those only that may be read."""

    home: Volume
    volumes: Mapping[str, Volume]
    pages: Mapping[Place, PageHead]

    def of(self, reference: Reference) -> PageHead | None:
        """The page that a reference led to once; None if it has one now, or none at all."""
        if reference.name is None:
            return None
        return self.pages.get(unwritten_place(reference.name, self.home, self.volumes))

    def presently(self, page: Page, but: Collection[str] = ()) -> Iterator[Edit]:
        """What lets a text say what those pages are called now, as a rename would have; ``but`` names (keys) stay."""
        by_id = {volume.id: volume for volume in self.volumes.values()}
        for reference in page.content.references:
            head = self.of(reference)
            if head is None or reference.name is None or reference.name.key in but:
                continue
            typed = reference.title_typed(page.text)
            title = names.escape(names.like_typed(typed, names.as_title(typed), head.title))
            if head.volume == self.home.id:
                yield Edit(reference.name_span, title)
            else:
                yield Edit(reference.name_span, f"/{names.escape(by_id[head.volume].title)}/{title}")


def former_names(context: ReadContext, home: Volume, page: Page) -> FormerNames:
    """What the unwritten names of a text led to once."""
    references = page.content.references
    resolver = Resolver.of(context.wiki, ((home, each) for each in references))
    places: set[Place] = set()
    for each in references:
        if each.name is not None:
            found = resolver.resolve(each.name, home, insert=each.kind is Kind.INSERT)
            if found.page is None and found.place[0]:
                places.add(found.place)
    readable = {volume.id for volume in context.volumes.values()}
    formers = stored_volumes.formers(context.connection, places)
    kept = {place: head for place, head in formers.items() if head.volume in readable}
    return FormerNames(home, context.volumes, kept)


class AsFormerly(StoredWiki):
    """A wiki in which unwritten names lead where they led once."""

    def __init__(self, context: ReadContext, formerly: FormerNames) -> None:
        super().__init__(context.connection, context.volumes)
        self._formerly = formerly.pages

    def titles_and_aliases(self, places: Collection[Place]) -> Named:
        """Titles, with former ones, and aliases."""
        titles, aliases = super().titles_and_aliases(places)
        return {
            **{place: head for place, head in self._formerly.items() if place in places},
            **titles,
        }, aliases
