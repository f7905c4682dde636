"""What tests of the desk type and look at."""

from __future__ import annotations

from playwright.sync_api import Page, TimeoutError, expect

from tests.end_to_end.conftest import Open

GRACE = 150
"""Milliseconds: the editor takes no key for a list of names that has only just come up (75 ms)."""


SETTLED = """() => new Promise(done => {
    let seen = -1;
    const look = () => {
        const now = performance.getEntriesByType('resource').length;
        if (now === seen) requestAnimationFrame(() => requestAnimationFrame(done));
        else { seen = now; setTimeout(look, 60); }
    };
    look();
})"""


def drawn(page: Page) -> None:
    """Waits until the scripts of a page have drawn what they draw: nothing more comes in, and a frame was shown."""
    page.evaluate(SETTLED)


def type_at_end(page: Page, text: str) -> None:
    """Types at the end of the text."""
    page.locator(".cm-content").click()
    page.keyboard.press("Control+End")
    page.keyboard.type(text)


def choose(page: Page, words: str) -> None:
    """Takes the first of what is offered, once it is this."""
    expect(page.locator(".cm-tooltip-autocomplete li").first).to_contain_text(words)
    page.wait_for_timeout(GRACE)
    page.keyboard.press("Enter")


def fresh(open_page: Open, text: str) -> Page:
    """The desk on a new page with a text in it, the caret at its end."""
    page = open_page("/-/edit/tern-4-service-manual/Trial%20of%20the%20desk", who="Wenna")
    page.locator(".cm-content").click()
    page.evaluate("text => navigator.clipboard.writeText(text)", text)
    page.keyboard.press("Control+Shift+V")
    typed(page, *text.split("\n"))
    return page


LINES = "[...document.querySelectorAll('.cm-line')].map(line => line.textContent).join('\\n')"


def typed(page: Page, *expected: str) -> None:
    """Waits until these are the lines of the text."""
    try:
        page.wait_for_function(f"expected => {LINES} === expected", arg="\n".join(expected), timeout=20_000)
    except TimeoutError:
        assert page.evaluate(LINES).split("\n") == list(expected)
        raise
