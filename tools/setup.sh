# Sourced by ./start and ./test: brings a fresh machine to where Clabo can run. Every step is skipped
# when its inputs have not changed since it last succeeded.
here=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd -P)
cd "$here"
state="$here/.local"; mkdir -p "$state/done"
export PYTHONUNBUFFERED=1
# A process that died is soon back only where its modules are not compiled anew.
unset PYTHONDONTWRITEBYTECODE

say() { printf '\033[1m%s\033[0m\n' "$*"; }
die() { printf 'Clabo cannot go on: %s\n' "$*" >&2; exit 1; }

fingerprint() { cat "$@" 2>/dev/null | sha256sum | cut -c1-16; }
is_done() { [ "$(cat "$state/done/$1" 2>/dev/null)" = "$2" ]; }
mark_done() { printf %s "$2" > "$state/done/$1"; }

need_space() {
  local free; free=$(df -Pm "$here" | awk 'NR==2 {print $4}')
  [ "$free" -ge "$1" ] || die "only ${free} MB are free on this disk and ${1} MB are needed. Free some and run this again."
}

# debian_packages NAME...: installs what is missing when it may, else says the command.
debian_packages() {
  local missing=() p
  for p in "$@"; do dpkg-query -W -f='${Status}' "$p" 2>/dev/null | grep -q 'install ok installed' || missing+=("$p"); done
  [ ${#missing[@]} -eq 0 ] && return
  local sudo=""
  if [ "$(id -u)" != 0 ]; then
    if command -v sudo >/dev/null && sudo -n true 2>/dev/null; then sudo="sudo -n"
    else die "these Debian packages are missing and need root to install. Run:
    sudo apt-get update && sudo apt-get install -y --no-install-recommends ${missing[*]}"; fi
  fi
  say "Installing ${missing[*]}"
  $sudo env DEBIAN_FRONTEND=noninteractive apt-get update -qq >/dev/null || die "the package lists could not be fetched (apt-get update)."
  $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >"$state/apt.log" 2>&1 \
    || { tail -5 "$state/apt.log" >&2; die "Debian's packages could not be installed; the whole log is in .local/apt.log."; }
}

find_python() {
  local p
  for p in python3.11 python3; do
    if command -v "$p" >/dev/null && "$p" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' 2>/dev/null; then echo "$p"; return; fi
  done
}

need_python() {
  python=$(find_python)
  if [ -z "$python" ]; then debian_packages python3 python3-venv; python=$(find_python); fi
  [ -n "$python" ] || die "Python 3.11 is needed (Debian 12 has it as python3)."
  if ! "$python" -c 'import ensurepip' 2>/dev/null; then debian_packages python3-venv; fi
}

# The build needs Node.js 20.19 or newer. Debian 12 has 18, so where nothing newer is on the machine,
# the same binaries come as a Python package into the virtual environment.
node_fits() { command -v npm >/dev/null && node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)' 2>/dev/null; }
need_node() {
  node_fits && return
  [ -x .venv/bin/node ] || { say "Installing Node.js for the build"
    .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r requirements/node.txt || die "Node.js could not be installed."; }
  PATH="$here/.venv/bin:$PATH"; export PATH
  node_fits || die "Node.js 20.19 or newer is needed to build the interface; this machine has $(node --version)."
}

# python_environment base|dev|bench
python_environment() {
  local lock="requirements/$1.txt" print; print=$(fingerprint "$lock")
  if is_done "python-$1" "$print" && [ -x .venv/bin/python ]; then return; fi
  need_python; need_space 2500
  [ -x .venv/bin/python ] || { say "Making the Python environment"; "$python" -m venv .venv; }
  say "Installing Python packages ($1)"
  .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r "$lock" \
    || die "Python packages could not be installed. If a compiler is asked for above, run: sudo apt-get install -y build-essential python3-dev"
  mark_done "python-$1" "$print"
}

front_end() {
  local lock; lock=$(fingerprint web/package-lock.json web/package.json)
  need_node
  if ! is_done node "$lock" || [ ! -d web/node_modules ]; then
    need_space 1500
    say "Installing front-end packages"
    (cd web && npm ci --silent --no-progress) || die "front-end packages could not be installed (npm ci in web/)."
    mark_done node "$lock"
  fi
  # The API's document, and so the front end's types, come from all of Clabo's Python.
  local print; print=$(find clabo -name tests -prune -o -name '*.py' -print0 | sort -z | xargs -0 cat | sha256sum | cut -c1-16)
  if ! is_done openapi "$print" || [ ! -f web/openapi.gen.json ] || [ ! -f tag/src/kinds.gen.ts ]; then
    .venv/bin/python manage.py export_openapi_schema --api clabo.platform.config.api.api --output web/openapi.gen.json \
      && .venv/bin/python manage.py tag_types --output tag/src/kinds.gen.ts || die "the API's document could not be made."
    mark_done openapi "$print"
  fi
  print=$(find web tag \( -name node_modules -o -name dist \) -prune -o -type f \
    \( -name '*.ts' -o -name '*.mjs' -o -name '*.tsx' -o -name '*.css' -o -name '*.html' -o -name '*.json' \) -not -name 'schema.gen.*' -print0 \
    | sort -z | xargs -0 cat | sha256sum | cut -c1-16)
  if is_done built "$print" && [ -f web/dist/index.html ] && [ -f tag/dist/tag.js ]; then return; fi
  say "Building the tag and the interface"
  (cd web && node_modules/.bin/openapi-typescript openapi.gen.json -o src/api/schema.gen.ts --default-non-nullable=false >/dev/null \
      && npm run --silent build:tag && npm run --silent build) || die "the interface could not be built."
  mark_done built "$print"
}

# The tag's own tests and the libraries that its test pages use.
tag_tests() {
  local lock; lock=$(fingerprint tag/package-lock.json tag/package.json tag/build-fixtures.mjs tag/fixtures/*.js tag/fixtures/shop/*)
  if is_done tag-tests "$lock" && [ -d tag/node_modules ] && [ -d tag/fixtures/dist ]; then return; fi
  need_space 1500
  say "Installing what the tag is tried on"
  (cd tag && npm ci --silent --no-progress >/dev/null 2>&1 && npm run --silent fixtures) || die "the libraries for the tag's tests could not be installed (npm ci in tag/)."
  mark_done tag-tests "$lock"
}

# database [folder]: starts the cluster and exports DATABASE_URL
database() {
  debian_packages postgresql
  bash tools/postgres.sh start "${1:-$state/postgres}" || die "the database did not start (see above)."
  DATABASE_URL=$(bash tools/postgres.sh url "${1:-$state/postgres}"); export DATABASE_URL
}

secret_key() {
  [ -f "$state/secret" ] || (umask 077; head -c 48 /dev/urandom | base64 | tr -d '\n' > "$state/secret")
  CLABO_SECRET=$(cat "$state/secret"); export CLABO_SECRET
}

# leftovers: ends processes of this checkout that a ./start which was killed by force has left; fails where there are none.
leftovers() {
  local p pid found=1
  for p in "$state"/supervisor "$state"/processes/*; do
    [ -f "$p" ] || continue
    pid=$(cat "$p")
    if [ -n "$pid" ] && tr '\0' ' ' < "/proc/$pid/cmdline" 2>/dev/null | grep -qE "manage.py|supervise.py|practice_network" \
        && [ "$(readlink "/proc/$pid/cwd" 2>/dev/null)" = "$here" ]; then
      kill -TERM "$pid" 2>/dev/null && found=0
    else rm -f "$p"; fi
  done
  return $found
}

# Counted up when tables change in a way that data from before does not follow.
layout=4

port_free() { ! (exec 3<>"/dev/tcp/127.0.0.1/$1") 2>/dev/null; }
