"""The desk in a real browser on a large wiki: from the last key to the preview, to the list of names, to the character
on the screen."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Page, sync_playwright

from bench.clock import show
from bench.views import PASSWORD, owner, serve
from bench.wiki import Built
from mokuji.adapters.spelling import languages
from mokuji.core.base import names
from mokuji.core.style.style import Style
from mokuji.server import create_app
from mokuji.services.app_context import AppContext
from mokuji.services.reading import house_styles

TURNS = 25
BASE = "the browser asks a bare route"
# All times are taken inside of the page, from the key's own event to what can be seen.
_MEASURES = """
window.measured = {};
addEventListener('keydown', event => { window.measured.key = event.timeStamp; }, true);
window.seen = (name, root, found) => {
  window.measured[name] = new Promise(done => {
    const look = () => {
      if (!found()) return;
      watch.disconnect();
      requestAnimationFrame(() => done(performance.now() - window.measured.key));
    };
    const watch = new MutationObserver(look);
    watch.observe(root, {childList: true, subtree: true, characterData: true, attributes: true});
  });
};
"""


def run(app: AppContext, wiki: Built) -> None:
    """Prints the figures."""
    actor = owner(app)
    volume, page = wiki.page
    if languages():
        house_styles.set_style(
            app, actor, volume, Style("sentence", "sentence", step=20, sentence=25, spelling="en-GB")
        )
    web_app = create_app(app, ["testserver"])
    server, address = serve(web_app)
    try:
        with _browser() as browser:
            browser.goto(f"{address}/-/sign-in")
            browser.fill("[name=handle]", "bench")
            browser.fill("[name=password]", PASSWORD)
            browser.press("[name=password]", "Enter")
            browser.wait_for_url(lambda url: "sign-in" not in url)
            browser.goto(f"{address}/-/edit{names.address(volume, page)}")
            browser.wait_for_selector(".seen h2, .seen h3")
            taken: dict[str, list[float]] = {BASE: [], "key to the character in the text": []}
            taken |= {"key to the preview of 9 KB": [], "key to the list of names": []}
            for turn in range(TURNS + 3):
                times = _turn(browser, turn)
                if turn >= 3:
                    for name, seconds in zip(taken, times, strict=True):
                        taken[name].append(seconds)
            print(f"\nThe desk in Chromium, {len(wiki.texts):,} pages, house style with spelling\n")
            show(taken, BASE)
    finally:
        server.should_exit = True


@contextmanager
def _browser() -> Iterator[Page]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", chromium_sandbox=False
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(_MEASURES)
        yield page
        browser.close()


def _turn(page: Page, turn: int) -> tuple[float, float, float, float]:
    bare = page.evaluate(
        "async () => { const start = performance.now(); await (await fetch('/healthz')).text(); "
        "return performance.now() - start; }"
    )
    page.keyboard.press("Control+Home")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    word = f"x{turn}y"
    page.keyboard.type(word[:-1])
    page.wait_for_timeout(500)
    page.evaluate(
        f"""() => {{
        const there = root => root.textContent.includes('{word}');
        const text = document.querySelector('.cm-content'), preview = document.querySelector('.seen');
        seen('typed', text, () => there(text));
        seen('preview', preview, () => there(preview)); }}"""
    )
    page.keyboard.type(word[-1])
    typed, preview = page.evaluate("Promise.all([measured.typed, measured.preview])")
    page.keyboard.type(" [[part 1")
    page.wait_for_timeout(600)
    page.evaluate(
        """() => { const root = document.querySelector('.cm-editor');
        const first = () => root.querySelector('.cm-tooltip-autocomplete li')?.textContent ?? '';
        const before = first();
        seen('names', root, () => first() && first() !== before); }"""
    )
    page.keyboard.type("2")
    listed = page.evaluate("measured.names")
    page.keyboard.press("Escape")
    for _ in range(len(" [[part 12") + 2):
        page.keyboard.press("Backspace")
    page.wait_for_timeout(400)
    return bare / 1000, typed / 1000, preview / 1000, listed / 1000
