"""The inbox, mail's links and feeds in the browser, each as its reader may read it.

Feeds are read by feedparser, a reader that others wrote.
"""

from __future__ import annotations

import html
import re

import feedparser
import pytest

from mokuji.services.app_context import AppContext
from mokuji.services.telling import delivering, mailing
from mokuji.store import people
from mokuji.store.database import reading
from tests.application import TestClient
from tests.services.making import edit
from tests.web.conftest import Browser, token

GUIDE = "/-/told-of"


def _ids(page: str) -> list[str]:
    return re.findall(r'name="ids" value="([\d ]+)"', page)


def _post(client: TestClient, to: str, **fields: str) -> str:
    done = client.post(to, data={"token": token(client), **fields})
    assert done.status_code == 200, done.text
    return str(done.text)


def test_an_inbox_is_read_marked_put_aside_and_muted(browser: Browser) -> None:
    client = browser("Wenna")
    page = client.get("/-/inbox").text
    assert "Depth sensor" in page
    assert "<ins>Rinse the cage. </ins>" in page
    assert re.search(r"<title>Inbox \(\d+\)", page)
    first = _ids(page)[0]
    assert first not in _ids(_post(client, "/-/inbox", wish="aside", ids=first))
    assert first in _ids(client.get("/-/inbox?state=aside").text)
    page = _post(client, "/-/inbox", wish="mute", ids="", volume="tern 4 service manual", page="depth sensor")
    assert "Depth sensor" in client.get("/-/told-of").text.partition('id="muted"')[2]
    page = _post(client, "/-/inbox", wish="all", ids=_ids(page)[0])
    assert "You have read all that you were told." in page
    assert '<span class="tally">' not in page.partition("Inbox</a>")[0].rpartition("room inbox")[2]
    assert "Nobody" not in client.get("/-/inbox?state=nonsense").text


def test_the_number_of_what_is_unread_stands_on_every_page_also_on_one_that_was_kept(
    browser: Browser, demo_app: AppContext
) -> None:
    client, other = browser("Piet"), browser("Jonas")
    guide = "/field-guide/biofouling"

    def number() -> int:
        found = re.search(r'<span class="tally"><span class="sr-only">, </span>(\d+)', client.get(guide).text)
        return int(found[1]) if found else 0

    before = number()
    with reading(demo_app.engine) as connection:
        account = people.account(connection, "jonas")
        assert account is not None
        jonas = people.actor_by_id(connection, account.id)
    assert other.get(guide).status_code == 200
    edit(demo_app, jonas, "field guide", "Crane lift", "Another text.")
    delivering.tell(demo_app)
    assert number() == before + 1


def test_one_is_told_of_a_page_by_a_button(browser: Browser) -> None:
    client = browser("Piet")
    address = "/-/tell/tern-4-service-manual/mast-head"
    assert "Tell me of this page" in client.get(address).text
    said = {"kind": "page", "volume": "tern 4 service manual", "name": "mast head", "back": address}
    page = _post(client, GUIDE, **said)
    assert "You are told of changes of this page." in page
    assert "Mast head" in client.get(GUIDE).text
    assert "You are told of changes of this page." not in _post(client, GUIDE, **said, stop="1")
    assert _post(client, GUIDE, **{**said, "back": "https://elsewhere.example/"}).count(
        "What you are told of"
    )
    assert client.post(GUIDE, data={"token": token(client), "kind": "nothing"}).status_code == 404


def test_whoever_is_nobody_signs_in_first(browser: Browser) -> None:
    client = browser()
    for address in ("/-/inbox", "/-/told-of", "/-/tell/field-guide/crane-lift"):
        assert client.get(address).status_code in {401, 403}, address


def test_mail_ends_by_one_click_of_a_program_without_session_or_token(
    browser: Browser, demo_app: AppContext
) -> None:
    with reading(demo_app.engine) as connection:
        account = people.account(connection, "jonas")
        assert account is not None
        jonas = people.actor_by_id(connection, account.id)
    address = f"/-/mail/end/{mailing.ending_word(demo_app, account.id, 0)}"
    client = browser()
    assert "Send me no more mail" in client.get(address).text
    assert mailing.ways(demo_app, jonas).mails, "looking ends nothing"
    done = client.post(
        address, data={"List-Unsubscribe": "One-Click"}, headers={"origin": "https://mail.example"}
    )
    assert done.status_code == 200
    assert not mailing.ways(demo_app, jonas).mails
    assert client.post(f"{address}x").status_code == 404


def test_an_address_is_chosen_confirmed_and_shown_to_nobody_else(
    browser: Browser, demo_app: AppContext
) -> None:
    client = browser("Piet")
    page = _post(client, "/-/told-of/mail", how="at once", address="piet.abernoth@tern.example")
    assert "piet.abernoth@tern.example is not confirmed yet" in page
    with reading(demo_app.engine) as connection:
        account = people.account(connection, "piet")
        assert account is not None
    word = mailing.confirming_word(demo_app, account.id, "piet.abernoth@tern.example", demo_app.clock())
    assert "Yes, it is mine" in browser().get(f"/-/mail/confirm/{word}").text
    _post(browser(), f"/-/mail/confirm/{word}")
    assert "is not confirmed yet" not in client.get(GUIDE).text
    for other in (browser("Wenna"), browser()):
        for page_of in ("/-/you", "/-/everybody", "/-/changes", "/", GUIDE):
            assert "piet.abernoth" not in other.get(page_of).text
    assert (
        client.post(
            "/-/told-of/mail", data={"token": token(client), "how": "daily", "address": "no"}
        ).status_code
        == 422
    )


@pytest.mark.parametrize(
    ("address", "title"),
    [
        ("/-/feed/tern-4-service-manual", "Tern 4 service manual"),
        ("/-/feed/tern-4-service-manual?page=depth sensor", "Depth sensor · Tern 4 service manual"),
        ("/-/feed/tern-4-service-manual?page=sensors&below=1", "Sensors and below · Tern 4 service manual"),
        ("/-/feed/tern-4-service-manual?category=sensors", "Category sensors · Tern 4 service manual"),
    ],
)
def test_a_feed_is_one_for_a_reader_that_others_wrote(browser: Browser, address: str, title: str) -> None:
    answer = browser().get(address)
    assert answer.headers["content-type"].startswith("application/atom+xml")
    feed = feedparser.parse(answer.content)
    assert (feed.bozo, feed.version, feed.feed.title) == (False, "atom10", title)
    assert feed.entries
    for entry in feed.entries:
        assert entry.id.startswith("tag:")
        assert entry.link.startswith("http://")
        assert entry.updated_parsed
        assert entry.author
    assert len({entry.id for entry in feed.entries}) == len(feed.entries)
    assert "<ins>" in "".join(entry.content[0].value for entry in feed.entries)
    again = browser().get(address, headers={"if-none-match": answer.headers["etag"]})
    assert again.status_code == 304


def test_a_feed_of_ones_own_tells_what_its_person_may_read_until_it_is_renewed(browser: Browser) -> None:
    client, nobody = browser("Wenna"), browser()
    page = html.unescape(client.get(GUIDE).text)
    address = re.search(r'value="http://[^/]+(/-/feed-of/[^"]+/bench-notes)"', page)
    assert address is not None
    assert feedparser.parse(nobody.get(address[1]).content).entries
    assert nobody.get("/-/feed/bench-notes").status_code == 404
    assert nobody.get(address[1].replace("/-/feed-of/1", "/-/feed-of/2")).status_code == 404
    _post(client, "/-/told-of/renew")
    assert nobody.get(address[1]).status_code == 404
