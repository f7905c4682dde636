"""Acts on plain folders: every reference of every file leads where it led, as a check before and after says."""

from __future__ import annotations

import tempfile
from pathlib import Path

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from mokuji.acts.requests import Rename
from mokuji.core.base import names
from mokuji.core.base.errors import MokujiError
from mokuji.core.model.wiki import MemoryWiki
from mokuji.formats.check import Checked
from mokuji.formats.folder_wiki import titled
from mokuji.services.folders import checking, folder_plan
from tests.services.on_folders import planned
from tests.wikis import TITLES, wikis


def _write(wiki: MemoryWiki, folder: Path) -> None:
    for volume in wiki.volumes.values():
        top = folder / f"v{volume.id}"
        top.mkdir()
        libraries = ", ".join(
            f'"{each.title}"' for id_ in volume.libraries for each in wiki.volumes.values() if each.id == id_
        )
        (top / "volume.yaml").write_text(f'title: "{volume.title}"\nlibraries: [{libraries}]\n')
    for page in wiki.pages_by_id.values():
        path = folder / f"v{page.head.volume}" / f"p{page.head.id}.md"
        path.write_bytes(titled(page.text, page.head.title, path.name, renamed=True).encode())


def _led(found: Checked) -> list[tuple[str, str, str | None]]:
    return [(reference.path, reference.resolution, reference.to) for reference in found.references]


@given(wikis(), st.sampled_from(TITLES), st.booleans(), st.data())
@settings(max_examples=60)
def test_after_a_rename_of_a_file_every_reference_leads_where_it_led(
    wiki: MemoryWiki, title: str, present: bool, data: st.DataObject
) -> None:
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        try:
            _write(wiki, folder)
        except MokujiError:
            assume(False)  # a front matter that cannot take a title
        before = checking.check(folder)
        assume(len(before.pages) == len(wiki.pages_by_id))
        page = data.draw(st.sampled_from([each.path for each in before.pages]))
        files = {path.name: path.read_bytes() for path in folder.rglob("*.md")}
        try:
            plan = planned(folder, Rename("", page, title, present_words=present))
        except MokujiError:
            assert {path.name: path.read_bytes() for path in folder.rglob("*.md")} == files
            return
        folder_plan.apply(plan)
        after = checking.check(folder)
        head = next(
            p.head for p in plan.loaded.wiki.pages_by_id.values() if plan.loaded.paths[p.head.id] == page
        )
        assert {(each.path, each.title) for each in after.pages} == {
            (each.path, title if each.path == page else each.title) for each in before.pages
        }
        captured = {plan.loaded.paths[reference.page.id] for reference in plan.plan.captured}
        for old, new in zip(_led(before), _led(after), strict=True):
            assert new == old or (old[1] == "unwritten" and new[0] in captured and new[2] == page)
        unchanged = {path for path in files if f"v{head.volume}/{path}" != page} - {
            Path(path).name for path in plan.files
        }
        now = {path.name: path.read_bytes() for path in folder.rglob("*.md")}
        assert all(now[name] == files[name] for name in unchanged)
        assert names.key(title) in {names.key(each.title) for each in after.pages}
