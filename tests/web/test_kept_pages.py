"""Pages that are kept as they were shown are shown again only where they would be made the same."""

from __future__ import annotations

import re

import pytest
from sqlalchemy import text

from mokuji.core.model.policy import Role
from mokuji.services.app_context import AppContext
from mokuji.services.writing import writing
from mokuji.store import asked, moments
from mokuji.store.database import asking, reading
from tests.application import TestClient, application
from tests.services import making
from tests.web.conftest import Browser

PUMP = "/guide/pump"
SOURCE = 'data-language="dot"'
_FRESH = re.compile(r'nonce="[^"]+"|(?:name="token" value|data-token)="[^"]*"')
"""What is another one in each answer."""


@pytest.fixture
def client(app: AppContext) -> TestClient:
    """Somebody who has not signed in, and a volume with two pages."""
    making.volume(app, "Guide")
    writer = making.person(app, "wenna", guide=Role.WRITER)
    making.pages(
        app, writer, "guide", {"Pump": "See [[Valve]].\n", "Valve": "[[Pump]]\n", "Apart": "Nothing.\n"}
    )
    return TestClient(application(app), base_url="http://mokuji.test")


def _save(app: AppContext, title: str, body: str) -> None:
    writer = making.give(app, making.person(app, f"p{len(title)}{len(body)}"), "guide", Role.WRITER)
    place = writing.open_for_edit(app, writer, "guide", title)
    writing.save(app, writer, writing.Save("guide", title, body, revision=place.revision))


def _shown(client: TestClient, address: str = PUMP) -> str:
    return _FRESH.sub("", client.get(address).text)


def test_as_long_as_nothing_is_written_a_view_is_one_question(app: AppContext, client: TestClient) -> None:
    first = [_shown(client) for _ in range(2)]
    again: list[str] = []
    assert len(making.statements(app, lambda: again.append(_shown(client)))) == 1
    assert again == first[:1] == first[1:]


def test_after_a_save_elsewhere_nothing_is_laid_out_anew(app: AppContext, client: TestClient) -> None:
    before = _shown(client)
    _save(app, "Apart", "Something.\n")
    # Upkeep of what the save touched is looked at first.
    client.get("/guide/apart")
    assert len(making.statements(app, lambda: _shown(client))) == 1
    assert _shown(client) == before


@pytest.mark.parametrize(
    ("title", "body", "shows"),
    [
        ("Pump", "It turns. [[Valve]]\n", "It turns."),
        ("Valve", "Open it before the [[Pump]] starts.\n", "Open it before the"),
        ("Filter", "New here: [[Pump]]\n", "New here"),
    ],
    ids=["its own text", "a sentence that leads to it", "a page that is new"],
)
def test_what_a_save_changes_on_a_page_is_there_at_once(
    app: AppContext, client: TestClient, title: str, body: str, shows: str
) -> None:
    assert shows not in _shown(client)
    _shown(client)
    _save(app, title, body)
    assert shows in _shown(client)


def test_who_loses_a_role_is_shown_a_closed_volume_no_more(demo_app: AppContext, browser: Browser) -> None:
    client = browser("mirela")
    with demo_app.engine.begin() as connection:
        connection.execute(text("UPDATE volume SET closed = true WHERE key = 'field guide'"))
        connection.execute(
            text(
                "INSERT INTO membership (person, volume, role) SELECT p.id, v.id, 1 FROM person p, volume v "
                "WHERE p.handle = 'mirela' AND v.key = 'field guide' ON CONFLICT DO NOTHING"
            )
        )
    assert [client.get("/field-guide").status_code for _ in range(2)] == [200, 200]
    assert browser().get("/field-guide").status_code == 404
    with demo_app.engine.begin() as connection:
        connection.execute(
            text("DELETE FROM membership m USING volume v WHERE m.volume = v.id AND v.key = 'field guide'")
        )
    assert client.get("/field-guide").status_code == 404


@pytest.mark.parametrize(("orphans", "said"), [(5, "6 orphans"), (1_200, "999+ orphans")])
def test_beside_a_page_no_more_than_a_thousand_findings_are_counted(
    app: AppContext, client: TestClient, orphans: int, said: str
) -> None:
    with app.engine.begin() as connection:
        added = text(
            "INSERT INTO page (volume, key, title, revision, changed) "
            "SELECT id, 'lone ' || n, 'Lone ' || n, 1, now() FROM volume, generate_series(1, :orphans) n"
        )
        connection.execute(added, {"orphans": orphans})
    # “Apart” is led to by nobody either.
    assert said in _shown(client)
    overview = client.get("/-/upkeep/guide").text
    assert f"{orphans + 1:,}" in overview or str(orphans + 1) in overview


def test_what_one_may_do_is_not_offered_to_another(browser: Browser) -> None:
    well = "/tern-4-service-manual/battery-well"
    writer, visitor = browser("wenna"), browser()
    for _ in range(2):
        assert "/-/edit" + well in writer.get(well).text
        assert "/-/edit" + well not in visitor.get(well).text


def test_each_answer_has_a_nonce_and_each_session_a_token_of_its_own(browser: Browser) -> None:
    well = "/tern-4-service-manual/battery-well"
    clients = [browser("wenna"), browser("wenna")]
    nonces, tokens = set(), set()
    for client in [*clients, *clients]:
        answer = client.get(well)
        nonce = re.search(r"'nonce-([^']+)'", answer.headers["content-security-policy"])
        token = re.search(r'name="token" value="([^"]+)"', answer.text)
        assert nonce is not None and token is not None
        assert set(re.findall(r'nonce="([^"]+)"', answer.text)) <= {nonce[1]}
        nonces.add(nonce[1])
        tokens.add(token[1])
        done = client.post("/-/file" + well, data={"token": token[1], "add": "Kept"}, follow_redirects=False)
        assert done.status_code == 303, "the form belongs to this session"
    assert len(nonces) == 4 and len(tokens) == 2


def test_a_page_whose_diagram_was_not_drawn_is_laid_out_again(
    app: AppContext, client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    _save(app, "Pump", "```dot\ndigraph { a -> b }\n```\n")
    with monkeypatch.context() as without:
        without.setattr("mokuji.adapters.diagrams.shutil.which", lambda _: None)
        assert [SOURCE in _shown(client) for _ in range(2)] == [True, True]
    assert SOURCE not in _shown(client)


def test_a_moment_goes_on_with_each_commit_even_of_what_began_before(
    app: AppContext, client: TestClient
) -> None:
    def moment() -> str:
        with asking(app.engine) as connection:
            return str(connection.execute(moments.MOMENT).scalar_one())

    write = text("UPDATE volume SET summary = summary WHERE key = 'guide'")
    with app.engine.connect() as early, app.engine.connect() as late:
        early.execute(text("SELECT pg_current_xact_id()"))
        late.execute(write)
        seen = [moment(), moment()]
        late.commit()
        seen.append(moment())
        early.commit()
        seen.append(moment())
    assert seen[0] == seen[1]
    assert len(set(seen)) == 3


def test_what_cannot_be_asked_again_is_not_kept(app: AppContext) -> None:
    for statement, values in (
        ("CREATE TEMPORARY TABLE passing (id int)", {}),
        ("SELECT CAST(:day AS date)", {"day": app.clock().date()}),
        ("INSERT INTO stale (name) VALUES (1) RETURNING name", {}),
    ):
        with asked.noting() as notes, app.engine.begin() as connection:
            connection.execute(text(statement), values)
        assert notes.asked() is None
    with asked.noting() as notes, reading(app.engine) as connection:
        for _ in range(asked.MOST + 1):
            connection.execute(text("SELECT 1"))
    assert notes.asked() is None


def test_answers_that_differ_in_nothing_but_where_a_value_ends_differ(app: AppContext) -> None:
    def digest(values: str) -> bytes:
        with asked.noting() as notes, reading(app.engine) as connection:
            rows, _, rest = values.partition(" OFFSET")
            connection.execute(text(f"SELECT * FROM (VALUES {rows}) v{' OFFSET' + rest if rest else ''}"))
        found = notes.asked()
        assert found is not None
        return found.digest

    several = ["('a', 'bc')", "('ab', 'c')", "('a', NULL)", "('a', '')", "('a'), ('bc')", "('a', chr(1))"]
    several += ["('')", "('') OFFSET 1", "(NULL)", "(''), ('')", "('', '')"]
    assert len({digest(each) for each in several}) == len(several)


def test_what_can_no_longer_be_asked_is_made_anew(app: AppContext, client: TestClient) -> None:
    _shown(client)
    with asked.noting() as notes, reading(app.engine) as connection:
        connection.execute(text("SELECT 1"))
    found = notes.asked()
    assert found is not None and asked.same_again(app.engine, found)
    broken = asked.Asked((("SELECT nothing FROM nowhere", {}),), found.digest)
    assert asked.same_again(app.engine, broken) is None
    assert "<h1>Pump</h1>" in _shown(client)
