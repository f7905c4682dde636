"""An earlier revision as it is read: its text then, what it refers to and puts in as that is now."""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, Ready, make_ready
from mokuji.services.looking_back.former_names import AsFormerly, former_names
from mokuji.services.reading.inserting import Inserted, inserted
from mokuji.services.reading.rendering import Addresses, Rendered, render_ready
from mokuji.store.log.history import Revision


@dataclass(frozen=True, slots=True)
class AsRead:
    """A revision, ready to be shown."""

    ready: Ready
    inserted: Inserted

    def rendered(self, app: AppContext, to: Addresses | None = None) -> Rendered:
        """The revision as it is shown."""
        return render_ready(app, self.ready, self.inserted, to)


def as_read(
    app: AppContext, context: ReadContext, volume: Volume, head: PageHead, revision: Revision, text: str
) -> AsRead:
    """A revision of a page that may be read. Names that pages had then lead to where these are now."""
    page = Page(PageHead(head.id, head.volume, head.key, revision.title, revision.number), text)
    ready = make_ready(page, frozenset(context.volumes), app.secret)
    own = AsFormerly(context, former_names(context, volume, page))
    return AsRead(ready, inserted(context.wiki, volume, page, app, own=own))
