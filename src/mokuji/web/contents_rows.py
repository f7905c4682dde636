"""The rows of the contents beside a page, kept as HTML: of a hundred of them only one says that it is in hand."""

from __future__ import annotations

from jinja2 import Environment
from markupsafe import Markup, escape

from mokuji.core.base.cache import BoundedCache
from mokuji.services.reading.reading import VolumeView
from mokuji.web import addresses

KEPT = 20_000_000
"""Number of characters of HTML that are kept."""
_LOOK = "\x01look\x01"
"""Stands for the address of the page in hand. No name holds a control character."""
# With the contents that they were made of: these are the same object as long as they say the same.
_kept: BoundedCache[tuple[object, str]] = BoundedCache(KEPT, lambda kept: len(kept[1]))


def contents_rows(environment: Environment, place: VolumeView, key: str) -> Markup:
    """The rows of a volume's contents, where the page with a key (empty: none) is in hand."""
    shown, volume = place.shown, place.volume.key
    large = not place.contents.whole
    under = (id(shown), volume, large, addresses.base())
    kept = _kept.get(under)
    if kept is None or kept[0] is not shown:
        template = environment.get_template("contents_rows.html")
        kept = (shown, template.render(shown=shown, volume=volume, large=large, look=_LOOK))
        _kept.put(under, kept)
    html = kept[1].replace(_LOOK, str(escape(f"{addresses.page(volume, key or None)}?look=")))
    own = f' data-key="{escape(key)}"'
    return Markup(html.replace(own, f'{own} aria-current="page"', 1) if key else html)  # noqa: S704
