"""Files over HTTP: brought with a form's token, given so that nothing in them runs, in parts, and once."""

from __future__ import annotations

import io
import zipfile

import pytest
from httpx2 import Response

from tests.application import TestClient
from tests.outside.test_media import HOSTILE, picture
from tests.web.conftest import Browser, token

MANUAL = "/-/file/tern-4-service-manual"
PNG = picture("PNG")


def _bring(client: TestClient, called: str, data: bytes, *, to: str = MANUAL, **fields: str) -> Response:
    return client.post(
        to, data={"token": token(client), **fields}, files={"file": (called, data, "text/html")}
    )


def test_a_picture_is_brought_and_shown_by_the_page_that_names_it(browser: Browser) -> None:
    client = browser("wenna")
    told = _bring(client, "Float of the SWITCH.jpg", PNG).json()
    assert told == {
        "name": "float-of-the-switch.png",
        "destination": "float-of-the-switch.png",
        "picture": True,
        "known": False,
    }
    address = "/-/preview/tern-4-service-manual/bilge-switch"
    text = "![The *float*](FLOAT-of-the-switch.png) [it](float-of-the-switch.png#x) ![no](gone.png) [no](gone.pdf)"
    seen = client.post(address, data={"token": token(client), "text": text}).json()["html"]
    assert 'alt="The float" width="40" height="30"' in seen
    assert '<a class="file" href="/-/file/tern-4-service-manual/float-of-the-switch.png?v=' in seen
    assert 'title="There is no file “gone.png”">Picture: no</span>' in seen
    assert '<a class="no-file" title="There is no file “gone.pdf”">no</a>' in seen


def test_nothing_that_is_in_a_file_runs(browser: Browser) -> None:
    client = browser("wenna")
    drawing = _bring(client, "x.svg", HOSTILE.encode()).json()["name"]
    page = _bring(client, "x.html", b"<html><script>alert(1)</script>").json()["name"]
    for name, type_ in ((drawing, "image/svg+xml"), (page, "text/plain; charset=utf-8")):
        response = browser().get(f"{MANUAL}/{name}")
        assert response.headers["content-type"] == type_
        assert response.headers["x-content-type-options"] == "nosniff"
        policy = response.headers["content-security-policy"]
        assert "sandbox" in policy and "default-src 'none'" in policy and "script-src" not in policy
    sheet = _bring(client, "limits.pdf", b"%PDF-1.7\n%\xe2\xe3\xcf\xd3\n").json()["name"]
    response = client.get(f"{MANUAL}/{sheet}")
    assert response.headers["content-type"] == "application/pdf", "browsers show none in a sandbox"
    assert response.headers["content-security-policy"] == "frame-ancestors 'none'"
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("a.html", "<script>alert(1)</script>")
    packed = _bring(client, "tools.zip", out.getvalue()).json()["name"]
    assert client.get(f"{MANUAL}/{packed}").headers["content-disposition"].startswith("attachment;")


def test_a_file_is_given_once_and_in_parts(browser: Browser) -> None:
    client = browser("wenna")
    name = _bring(client, "a.png", PNG).json()["name"]
    whole = client.get(f"{MANUAL}/{name}")
    assert whole.content == PNG and whole.headers["accept-ranges"] == "bytes"
    again = client.get(f"{MANUAL}/{name}", headers={"if-none-match": whole.headers["etag"]})
    assert (again.status_code, again.content) == (304, b"")
    for asked, part in (("bytes=0-9", PNG[:10]), ("bytes=10-", PNG[10:]), ("bytes=-5", PNG[-5:])):
        response = client.get(f"{MANUAL}/{name}", headers={"range": asked})
        assert (response.status_code, response.content) == (206, part)
    assert client.get(f"{MANUAL}/{name}", headers={"range": "bytes=0-9"}).headers["content-range"] == (
        f"bytes 0-9/{len(PNG)}"
    )
    for asked in ("bytes=9-1", f"bytes={len(PNG)}-", "bytes=x-", "lines=1-2", "bytes=0-1,3-4"):
        assert client.get(f"{MANUAL}/{name}", headers={"range": asked}).content == PNG


@pytest.mark.parametrize(
    ("data", "status", "said"),
    [
        (b"", 422, "No file came along"),
        (b"MZ\x90\x00" + bytes(99), 422, "none of the types"),
        (bytes(15_000_001), 413, "MB is the most"),
    ],
)
def test_what_is_not_kept_is_answered_with_a_sentence(
    browser: Browser, data: bytes, status: int, said: str
) -> None:
    answer = _bring(browser("wenna"), "a.png" if data else "", data)
    assert answer.status_code == status and said in answer.json()["message"]


def test_a_file_without_the_token_of_a_form_is_not_kept(browser: Browser) -> None:
    client = browser("wenna")
    answer = client.post(MANUAL, data={"token": "0" * 64}, files={"file": ("a.png", PNG)})
    assert answer.status_code == 403
    assert client.get(f"{MANUAL}/a.png").status_code == 404


def test_a_reader_brings_nothing_and_sees_no_file_of_a_closed_volume(browser: Browser) -> None:
    assert _bring(browser("piet"), "a.png", PNG).status_code == 403
    client = browser("mirela")
    assert _bring(client, "plan.png", PNG, to="/-/file/bench-notes").status_code == 200
    assert client.get("/-/file/bench-notes/plan.png").status_code == 200
    for address in (
        "/-/file/bench-notes/plan.png",
        "/-/files/bench-notes",
        "/-/file-names/bench-notes?typed=plan",
    ):
        assert browser().get(address).status_code == 404
        assert browser("jonas").get(address).status_code == 404


def test_the_list_of_files_takes_one_without_scripts(browser: Browser) -> None:
    client = browser("wenna")
    done = _bring(client, "lamp.png", PNG, back="1", name="The lamp at night")
    assert "the-lamp-at-night.png" in done.text and "40 × 30" in done.text
