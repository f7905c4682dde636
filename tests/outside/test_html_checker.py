"""Pages are valid HTML: what a text becomes, read by the Nu HTML Checker (npm package vnu-jar)."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

from mokuji.services.folders import folders
from tests.outside.packages import npm_file

CASES = Path(__file__).parents[1] / "cases" / "pages.txt"
TEXTS = dict(block.split("\n", 1) for block in CASES.read_text(encoding="utf-8").split("@@ ")[1:])
TEXTS["Drawing at fault"] = "```dot A way | that is none\na -> -> b\n```\n"
PAGE = '<!DOCTYPE html><html lang="en"><head><title>A page</title></head><body><h1>x</h1>{}</body></html>'


def test_what_texts_become_is_valid_html(tmp_path: Path) -> None:
    jar = npm_file("vnu-jar", "26.9.27", "build/dist/vnu.jar")
    wiki, made = tmp_path / "wiki", tmp_path / "html"
    made.mkdir()
    wiki.mkdir()
    for title, text in TEXTS.items():
        (wiki / f"{title}.md").write_text(text, encoding="utf-8")
    for title in TEXTS:
        shown, _ = folders.render(wiki, title)
        (made / f"{title}.html").write_text(PAGE.format(shown), encoding="utf-8")
    command = ["java", "-jar", str(jar), "--stdout", "--format", "json", *map(str, made.glob("*.html"))]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    found = json.loads(done.stdout)["messages"]
    wrong = [(each["url"].rpartition("/")[2], each["message"]) for each in found if each["type"] == "error"]
    assert wrong == []
    # GitHub Flavored Markdown's own way to align cells is old, and works.
    rest = {each["message"] for each in found if "align" not in each["message"]}
    assert not rest, rest
