"""How well pages are found, asked for with known answers."""

from __future__ import annotations

import random

from mokuji.core.model.policy import Role
from mokuji.services.app_context import AppContext, catch_up
from mokuji.services.reading import searching
from mokuji.store import writing as stored
from mokuji.store.database import writing
from mokuji.store.log.change_sets import Signature
from mokuji.store.writing import NewPage, create_pages
from tests.outside.jargon import jargon_wiki
from tests.services import making


def test_probe(app: AppContext) -> None:
    import time
    making.volume(app, "Jargon")
    reader = making.person(app, "reader", jargon=Role.READER)
    pages = list(jargon_wiki().pages_by_id.values())
    from mokuji.acts import doing
    from sqlalchemy import text
    a = time.perf_counter()
    with writing(app.engine) as c:
        c.execute(text("insert into change_set (act, volume, at) select 'create', id, now() from volume"))
        cs, vol = c.execute(text("select id, volume from change_set")).one()
        [p.content for p in pages]
        b = time.perf_counter()
        create_pages(c, vol, [NewPage(p.head.title, p.text, p.content) for p in pages], cs, Signature(None, app.clock(), ""), words_later=True)
    d = time.perf_counter()
    n = 0
    while catch_up(app, 500): pass
    e = time.perf_counter()
    print("read", b-a, "create", d-b, "words", e-d, len(pages))
    with app.engine.begin() as c:
        print(c.execute(text("select pg_total_relation_size('page_search')/1e6, pg_total_relation_size('word')/1e6, (select count(*) from word), pg_total_relation_size('revision')/1e6")).all())
        c.execute(text("analyze"))
    r = random.Random(7)
    def slip(w):
        i = r.randrange(len(w)); k = r.randrange(4); l = r.choice("abcdefghijklmnopqrstuvwxyz")
        return [w[:i]+w[i+1:], w[:i]+l+w[i:], w[:i]+l+w[i+1:], w[:i]+w[i+1:i+2]+w[i]+w[i+2:]][k]
    for what, make in (("as is", lambda t: t), ("slip", slip)):
        first = three = n = 0
        miss = []
        a = time.perf_counter()
        sample = r.sample(pages, 100)
        for p in sample:
            q = make(p.head.title)
            if q == p.head.title and what == "slip": continue
            n += 1
            found = [f.hit.head.id for f in searching.find(app, reader, q).found]
            first += found[:1] == [p.head.id]; three += p.head.id in found[:3]
            if p.head.id not in found[:1]: miss.append((p.head.title, q, found.index(p.head.id) if p.head.id in found else -1))
        print(what, n, first/n, three/n, (time.perf_counter()-a)/n, miss[:60])
    with app.engine.begin() as c:
        for q in ("select listed from unnest(array['abc','def','hacker']) listed where exists (select 1 from word where word.word = listed collate \"C\" and volume = any(array[1]))",):
            print("\n".join(c.execute(text("explain analyze " + q)).scalars()))
    import logging
    from sqlalchemy import event
    import cProfile, pstats
    times = {}
    @event.listens_for(app.engine, "before_cursor_execute")
    def b4(conn, cur, st, params, ctx, many): ctx._t = time.perf_counter()
    @event.listens_for(app.engine, "after_cursor_execute")
    def aft(conn, cur, st, params, ctx, many):
        t = times.setdefault(st[:150], [0, 0]); t[0] += 1; t[1] += time.perf_counter() - ctx._t
    pr = cProfile.Profile(); pr.enable()
    for p in sample[:10]: searching.find(app, reader, slip(p.head.title))
    pr.disable(); pstats.Stats(pr).sort_stats("cumtime").print_stats(25)
    for k, v in sorted(times.items(), key=lambda x: -x[1][1])[:8]: print(v, k)
