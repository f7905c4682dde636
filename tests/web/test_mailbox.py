"""The stand-in for a mail server shows what came in, and lets nothing of it act."""

from __future__ import annotations

from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from mokuji.standins.mailbox import Mailbox, pages

MAIL = b"""From: a@tern.example\r
To: wenna@tern.example\r
Subject: <script>alert(1)</script>\r
MIME-Version: 1.0\r
Content-Type: multipart/alternative; boundary=x\r
\r
--x\r
Content-Type: text/plain\r
\r
Words <b>as typed</b>\r
--x\r
Content-Type: text/html\r
\r
<script>parent.location = "https://elsewhere.example"</script><p>Words</p>\r
--x--\r
"""


@pytest.fixture
def box(tmp_path: Path) -> Mailbox:
    made = Mailbox(tmp_path / "mail")
    made._kept.add(b"Delivered-To: wenna@tern.example\r\n" + MAIL)
    return made


def test_a_mail_is_listed_and_read_and_nothing_in_it_runs(box: Mailbox) -> None:
    client = TestClient(pages(box))
    listed = client.get("/")
    assert "&lt;script&gt;alert(1)&lt;/script&gt;" in listed.text
    assert "<script" not in listed.text
    number = box.mails()[0].number
    page = client.get(f"/mail/{number}")
    assert "Words &lt;b&gt;as typed&lt;/b&gt;" in page.text
    assert "<script" not in page.text
    shown = client.get(f"/html/{number}")
    assert "<p>Words</p>" in shown.text
    for each in (listed, page, shown):
        assert "default-src 'none'" in each.headers["content-security-policy"]
    assert shown.headers["content-security-policy"].endswith("sandbox")
    assert client.get("/?to=nobody@tern.example").text.count("/mail/") == 0


@pytest.mark.parametrize("number", ["none", "..%2F..%2Fetc%2Fpasswd", "%00"])
def test_there_is_no_mail_but_those_that_came(box: Mailbox, number: str) -> None:
    client = TestClient(pages(box))
    assert client.get(f"/mail/{number}").status_code == 404
    assert client.get(f"/html/{number}").status_code == 404


def test_the_server_is_down_and_up_again_by_a_button(box: Mailbox) -> None:
    client = TestClient(pages(box))
    assert "The server is down" in client.post("/down").text
    assert box.down
    assert "The server is down" not in client.post("/down").text
