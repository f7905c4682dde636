"""Words that go on with what is typed: of the volume, by how often, then of the dictionary; nothing closed shows."""

from __future__ import annotations

import pytest

from mokuji.core.base.errors import Forbidden, Missing
from mokuji.core.model.policy import NOBODY, Role
from mokuji.services.app_context import AppContext, catch_up
from mokuji.services.writing import vocabulary
from tests.services.making import pages, person, volume


def test_words_of_the_volume_go_before_those_of_the_dictionary(app: AppContext) -> None:
    volume(app, "Guide")
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, secret=Role.OWNER)
    pages(
        app,
        writer,
        "guide",
        {"A": "A transponder, Transponders; transponder #transmark @transit", "B": "transom"},
    )
    pages(app, writer, "secret", {"S": "transfiguration"})
    catch_up(app, 100)
    found = vocabulary.words_for(app, writer, "guide", "trans")
    assert [word for word, here in found if here] == ["transponder", "Transponders", "transom"]
    assert "transfiguration" not in dict(found)
    for typed in ("t", "tr|s", "a b", "", "x" * 90, "12"):
        assert vocabulary.words_for(app, writer, "guide", typed) == []
    with pytest.raises(Forbidden):
        vocabulary.words_for(app, NOBODY, "guide", "trans")
    with pytest.raises(Missing):
        vocabulary.words_for(app, person(app, "jory", guide=Role.WRITER), "secret", "trans")
