"""Finding pages by words, against the bare full-text query of the same hits: match, rank of as many, the best of them
with the beginning of their texts cut into sentences by PostgreSQL itself.

``python -m bench.finding`` builds a wiki of its own (``--pages``).
"""

from __future__ import annotations

import argparse
from collections.abc import Callable

from sqlalchemy import text

from bench.clock import in_turns, show
from bench.wiki import running
from mokuji.core.model.policy import NOBODY
from mokuji.services.app_context import AppContext
from mokuji.services.hosting import settle
from mokuji.services.reading import searching
from mokuji.store.database import reading

QUESTIONS = {
    "two words, one of them rare": ("battery gauge", "'batteri' & 'gaug'"),
    "a word that every page holds": ("gauge", "'gaug'"),
    "two words that every page holds": ("valve gauge", "'valv' & 'gaug'"),
}
BARE = text(
    """WITH hits AS (SELECT p.id, ts_rank_cd(s.words, CAST(:words AS tsquery), 1) AS rank
        FROM page p JOIN page_search s ON s.page = p.id
        WHERE s.words @@ CAST(:words AS tsquery) AND p.volume = ANY(:volumes) LIMIT 2000),
    best AS (SELECT id, rank FROM hits ORDER BY rank DESC, id LIMIT 20)
    SELECT p.key, p.title, ts_headline('english', left(r.text, 2000), CAST(:words AS tsquery))
    FROM best JOIN page p ON p.id = best.id JOIN revision r ON r.page = p.id AND r.number = p.revision
    ORDER BY best.rank DESC"""
)


def run(app: AppContext, turns: int = 30) -> None:
    """Prints the figures of a wiki that is there."""

    def bare(words: str) -> Callable[[], object]:
        def ask() -> object:
            with reading(app.engine) as connection:
                return connection.execute(BARE, {"words": words, "volumes": list(range(1, 40))}).all()

        return ask

    for name, (typed, words) in QUESTIONS.items():
        print(f"\n{name}\n")
        base = "the bare query"

        def find(typed: str = typed) -> object:
            return searching.find(app, NOBODY, typed)

        show(in_turns({base: bare(words), "find: order, sentences, counts": find}, turns=turns), base)


def main() -> None:
    """One run."""
    settle()
    parser = argparse.ArgumentParser(prog="bench.finding", description=__doc__)
    parser.add_argument("--pages", type=int, default=100_000, help="how many pages the wiki has")
    arguments = parser.parse_args()
    with running(arguments.pages) as (app, _):
        run(app)


if __name__ == "__main__":
    main()
