"""One use case each: check rights, load what the core needs, call it, write, say what came out.

Services know the store and the core; they know no web framework and no page
layout. Each public function takes the ``AppContext`` (what is needed to work at
all) and the actor (who asks).
"""
