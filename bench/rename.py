"""Rename of a page with 10,000 references in 5,000 pages, against ``grep -rlF`` and ``sed -i`` over the same pages
as files in memory."""

from __future__ import annotations

import subprocess
from functools import partial
from pathlib import Path

from sqlalchemy import text

from bench.clock import once, show
from bench.views import owner
from bench.wiki import HUB, Built
from mokuji.acts import doing, requests
from mokuji.core.base import names
from mokuji.services.app_context import AppContext
from mokuji.store.log.change_sets import Signature

OTHER = "Battery compartment"
TURNS = 5
COUNT = text(
    """SELECT count(*) FROM page p JOIN revision r ON r.page = p.id AND r.number = p.revision
    WHERE r.text LIKE :like"""
)


def _write(wiki: Built, folder: Path) -> None:
    for volume in range(1, len(wiki.volumes) + 1):
        (folder / str(volume)).mkdir(parents=True)
    for (volume, title), body in wiki.texts.items():
        (folder / str(volume) / f"{title}.md").write_text(body)


def _files_with(folder: Path, title: str) -> list[str]:
    found = subprocess.run(
        ["grep", "-rlF", f"[[{title}]]", str(folder)], capture_output=True, text=True, check=True
    )
    return found.stdout.splitlines()


def _replace(folder: Path, old: str, new: str) -> None:
    command = ["xargs", "-d", "\n", "sed", "-i", f"s/\[\[{old}\]\]/[[{new}]]/g"]
    subprocess.run(command, input="\n".join(_files_with(folder, old)), text=True, check=True)


def run(app: AppContext, wiki: Built, folder: Path) -> None:
    """Prints the figures. Both rename back and forth, in turns; Mokuji commits to the disk, the files lie in memory."""
    _write(wiki, folder)
    actor = owner(app)
    volume, _ = wiki.hub
    by_files: list[float] = []
    by_mokuji: list[float] = []
    old, new = HUB, OTHER
    for _ in range(TURNS):
        by_files.append(once(partial(_replace, folder, old, new)))
        by = Signature(actor.person, app.clock(), "")
        by_mokuji.append(
            once(
                partial(
                    doing.apply, app, actor, requests.Rename(volume, names.key(old), new), None, signature=by
                )
            )
        )
        old, new = new, old
    with app.engine.connect() as connection:
        count = connection.execute(COUNT, {"like": f"%[[{old}]]%"}).scalar_one()
    assert count == len(_files_with(folder, old)), "both changed the same pages"
    print()
    name = f"grep -rlF and sed -i over {len(wiki.texts):,} files in memory"
    ours = f"Mokuji: rename with references in {count:,} pages, undoable"
    show({name: by_files, ours: by_mokuji}, name)
