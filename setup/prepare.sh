# Sets a machine up for Skurrow; sourced by ./start, ./test, ./bench and ./skurrow, with the project's root
# as working directory. Does nothing, in well under a second, when there is nothing to do.
#
#   prepare app      what running needs: system packages, the Python environment, the built front end
#   prepare tests    the same, and a browser
#
# As root it installs missing Debian packages; as anyone else it says which ones to install and stops.

export SKURROW_STATE=${SKURROW_STATE:-$PWD/.skurrow}
setup=$PWD/.skurrow/setup # what was set up belongs to this folder, wherever the data lies

say() { printf '%s\n' "$*" >&2; }
fail() { say "Skurrow: $*"; exit 1; }

find_python() {
  local candidate
  for candidate in python3 python3.14 python3.13 python3.12 python3.11; do
    if command -v "$candidate" >/dev/null 2>&1 &&
      "$candidate" -c 'import sys, ensurepip, venv; sys.exit(sys.version_info < (3, 11))' >/dev/null 2>&1; then
      command -v "$candidate"
      return
    fi
  done
  return 1
}

find_postgres() {
  local candidate
  for candidate in $(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -t/ -k5 -n -r); do
    [ -x "$candidate/postgres" ] && [ -x "$candidate/initdb" ] && { echo "$candidate"; return; }
  done
  return 1
}

system_packages() {
  local missing=() keep_no_cluster=
  find_python >/dev/null || missing+=(python3 python3-venv)
  find_postgres >/dev/null || missing+=(postgresql)
  command -v setpriv >/dev/null || missing+=(util-linux)
  if [ "$1" = tests ]; then
    [ -x /usr/bin/chromium ] || missing+=(chromium)
    [ -x /usr/bin/chromium-headless-shell ] || missing+=(chromium-headless-shell)
    command -v git >/dev/null || missing+=(git)
  fi
  [ ${#missing[@]} -eq 0 ] && return
  if [ "$(id -u)" -ne 0 ]; then
    say "Skurrow needs Debian packages that are not installed. As an administrator, run:"
    say "  apt-get update && apt-get install ${missing[*]}"
    say "then start again."
    exit 1
  fi
  say "Installing ${missing[*]} …"
  if [ ! -d /etc/postgresql-common ]; then
    # Debian's package would start a cluster of its own on the usual port; we only want the programs.
    mkdir -p /etc/postgresql-common/createcluster.d
    echo 'create_main_cluster = false' >/etc/postgresql-common/createcluster.d/skurrow.conf
    keep_no_cluster=1
  fi
  export DEBIAN_FRONTEND=noninteractive
  apt-get update -q >"$setup/apt.log" 2>&1 &&
    apt-get install -y -q --no-install-recommends ca-certificates "${missing[@]}" >>"$setup/apt.log" 2>&1 ||
    fail "installing ${missing[*]} failed; the whole log is in $setup/apt.log: $(tail -n 1 "$setup/apt.log")"
  [ -z "$keep_no_cluster" ] || rm -f /etc/postgresql-common/createcluster.d/skurrow.conf
  find_python >/dev/null || fail "no Python of at least 3.11 with venv was found; install one and start again."
  find_postgres >/dev/null || fail "no PostgreSQL server was found under /usr/lib/postgresql; install one and start again."
}

# step NAME KEY COMMAND…: runs the command unless it was done before with the same key.
step() {
  local name=$1 key=$2
  shift 2
  [ "$(cat "$setup/$name" 2>/dev/null)" = "$key" ] && return
  say "Preparing: $name …"
  "$@" >"$setup/$name.log" 2>&1 ||
    fail "preparing '$name' failed; the whole log is in $setup/$name.log:
$(tail -n 12 "$setup/$name.log")"
  printf '%s' "$key" >"$setup/$name"
}

hash_of() { find "$@" -type f -print0 | sort -z | xargs -0 sha256sum | sha256sum | cut -c1-24; }

python_environment() {
  [ -x .venv/bin/python ] || "$(find_python)" -m venv --clear .venv || return 1
  .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r requirements/uv.txt &&
    .venv/bin/uv pip sync -q --python .venv/bin/python --require-hashes --compile-bytecode requirements/dev.txt
}

node_is_new_enough() {
  command -v npm >/dev/null 2>&1 &&
    node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)' 2>/dev/null
}

own_node() { .venv/bin/uv pip install -q --python .venv/bin/python --require-hashes -r requirements/node.txt; }

prepare() {
  mkdir -p "$setup" 2>/dev/null || fail "cannot write to $setup."
  exec 9>"$setup/lock"
  if ! flock -n 9; then
    say "Another set-up is under way here; waiting for it …"
    flock 9
  fi
  system_packages "$1"
  [ -x .venv/bin/python ] || rm -f "$setup/python" "$setup/node"
  step python "$(hash_of requirements) $PWD" python_environment
  if ! node_is_new_enough; then
    export PATH="$PWD/.venv/bin:$PATH"
    step node "$(hash_of requirements)" own_node
  fi
  [ -d node_modules ] || rm -f "$setup/packages"
  step packages "$(hash_of package.json package-lock.json .npmrc)" npm ci --no-audit --no-fund
  [ -d ui/dist ] || rm -f "$setup/interface"
  step interface "$(hash_of ui/src ui/*.html ui/*.ts ui/tsconfig.json package-lock.json)" npm run build
  exec 9>&-
}
