"""Reports of mail that could not be delivered are read as RFC 3464 has them (its appendix E.1, shortened)."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.formats.bounces import Bounce, read

REPORT = """Date: Thu, 7 Jul 1994 17:16:05 -0400
From: Mail Delivery Subsystem <MAILER-DAEMON@CS.EXAMPLE>
Message-Id: <199407072116.RAA14128@CS.EXAMPLE>
Subject: Returned mail: Cannot send message for 5 days
To: <owner-info-mime@cs.example>
MIME-Version: 1.0
Content-Type: multipart/report; report-type=delivery-status;
      boundary="RAA14128.773615765/CS.EXAMPLE"

--RAA14128.773615765/CS.EXAMPLE

The original message was received at Sat, 2 Jul 1994 17:10:28 -0400

--RAA14128.773615765/CS.EXAMPLE
content-type: message/delivery-status

Reporting-MTA: dns; cs.example

Original-Recipient: rfc822;louisl@larry.slip.umd.example
Final-Recipient: rfc822;louisl@larry.slip.umd.example
Action: {action}
Status: 4.0.0
Diagnostic-Code: smtp; 426 connection timed out
Last-Attempt-Date: Thu, 7 Jul 1994 17:15:49 -0400

--RAA14128.773615765/CS.EXAMPLE
content-type: {kind}

Message-ID: <abc@wiki.example>
Subject: x
{end}
--RAA14128.773615765/CS.EXAMPLE--
"""


@pytest.mark.parametrize(("kind", "end"), [("message/rfc822", "\nwords"), ("text/rfc822-headers", "")])
def test_a_report_of_a_failure_says_which_mail_and_why(kind: str, end: str) -> None:
    said = REPORT.format(action="failed", kind=kind, end=end).replace("\n", "\r\n")
    assert read(said.encode()) == Bounce("abc@wiki.example", "smtp; 426 connection timed out")


@pytest.mark.parametrize("action", ["delayed", "relayed", ""])
def test_a_report_of_a_delay_is_none_of_a_failure(action: str) -> None:
    assert read(REPORT.format(action=action, kind="message/rfc822", end="").encode()) is None


@given(st.binary(max_size=300))
def test_what_is_no_report_is_none(data: bytes) -> None:
    assert read(data) is None
