"""The wiki that measures are taken on can be built, and is one as any other."""

from __future__ import annotations

from bench.wiki import build
from sqlalchemy import Engine, func, select

from mokuji.services.app_context import AppContext, refresh
from mokuji.services.reading import reading
from mokuji.store.tables import page
from tests.services.making import person


def test_the_wiki_of_the_measures_is_built_and_read(engine: Engine) -> None:
    built = build(engine, 60)
    app = AppContext(engine, b"a key for tests only")
    refresh(app)
    with engine.connect() as connection:
        assert connection.execute(select(func.count()).select_from(page)).scalar_one() == len(built.texts)
    volume, hub = built.hub
    view = reading.open_page(app, person(app, "wenna"), volume, hub)
    assert isinstance(view, reading.PageView) and view.backlinks.pages > 0
