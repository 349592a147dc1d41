# Shared by ./start and ./test: Debian packages, the virtual environment, a private PostgreSQL on loopback.
# Everything that it makes lies under $MERAK_VAR (var/) and .venv/.

# What is imported is kept compiled: dozens of processes of the tests import the same.
unset PYTHONDONTWRITEBYTECODE

HERE="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
VAR="${MERAK_VAR:-$HERE/var}"

say() { printf '  %s\n' "$*"; }
fail() { printf '\nStopped: %s\n  What to do: %s\n' "$1" "$2" >&2; exit 1; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"
  elif command -v sudo >/dev/null 2>&1; then sudo "$@"
  else fail "this needs root for: $*" "run as root, or install sudo and give this user the right to use it"; fi
}

# need COMMAND-OR-FILE PACKAGE...: installs the packages when the command or file is missing.
APT_FRESH=""
need() {
  local probe="$1"; shift
  case "$probe" in
    /*) compgen -G "$probe" >/dev/null && return 0 ;;
    *) command -v "$probe" >/dev/null 2>&1 && return 0 ;;
  esac
  say "installing $* …"
  if [ -z "$APT_FRESH" ]; then
    as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq >>"$VAR/install.log" 2>&1 ||
      fail "the list of Debian packages could not be read" "check the network and the sources of apt; details: $VAR/install.log"
    APT_FRESH=1
  fi
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >>"$VAR/install.log" 2>&1 ||
    fail "Debian's $* could not be installed" "see the end of $VAR/install.log, mend it and run this again"
}

# The system's own Python first: it is what Debian's python3-venv belongs to.
find_python() {
  for py in /usr/bin/python3 python3; do
    if "$py" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then echo "$py"; return; fi
  done
  return 1
}

# venv NAME...: makes .venv and installs the named lock files when they changed.
venv() {
  local py; need /usr/bin/python3 python3
  py="$(find_python)" || fail "Python 3.11 or newer was not found" "use Debian 12 or newer, or install a newer python3"
  "$py" -c 'import ensurepip, venv' 2>/dev/null || need /nonexistent python3-venv
  [ -x "$HERE/.venv/bin/python" ] || "$py" -m venv "$HERE/.venv" ||
    fail "the virtual environment could not be made" "remove .venv and run this again"
  local name want
  for name in "$@"; do
    want="$(sha256sum <"$HERE/requirements/$name.txt" | cut -c1-16)"
    [ "$(cat "$HERE/.venv/.merak-$name" 2>/dev/null)" = "$want" ] && continue
    say "installing the Python packages of requirements/$name.txt (a minute or two the first time) …"
    "$HERE/.venv/bin/python" -m pip install -q --disable-pip-version-check --require-hashes -r "$HERE/requirements/$name.txt" >>"$VAR/install.log" 2>&1 ||
      fail "the Python packages of requirements/$name.txt could not be installed" "see the end of $VAR/install.log; is the package index reachable?"
    echo "$want" >"$HERE/.venv/.merak-$name"
  done
}

# node_tools: Node, for checking the scripts; running Merak needs none.
node_tools() {
  need node nodejs
  need npm npm
  NODE="$(command -v node)"
}

free_port() { # free_port WISH: the wish when it is free, else another
  "$HERE/.venv/bin/python" - "$1" <<'PY'
import socket, sys
for port in (int(sys.argv[1]), 0):
    with socket.socket() as s:
        s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            s.bind(("127.0.0.1", port))
        except OSError:
            continue
        print(s.getsockname()[1])
        break
PY
}

# postgres_bin: the newest server's folder, installed when there is none. Debian's own cluster is not started or touched.
postgres_bin() {
  if ! compgen -G "/usr/lib/postgresql/*/bin/initdb" >/dev/null; then
    need /nonexistent postgresql-common
    as_root mkdir -p /etc/postgresql-common/createcluster.d
    echo "create_main_cluster = false" | as_root tee /etc/postgresql-common/createcluster.d/merak.conf >/dev/null
    need /nonexistent postgresql
  fi
  PG_BIN="$(ls -d /usr/lib/postgresql/*/bin | sort -V | tail -1)"
}

# PostgreSQL refuses to run as root: then it runs as Debian's postgres user, who owns the data folder.
as_pg() {
  if [ "$(id -u)" = 0 ]; then runuser -u postgres -- "$@"; else "$@"; fi
}

# postgres_up FOLDER WISHED-PORT: a cluster of our own in FOLDER, on loopback only; sets MERAK_DATABASE_URL.
postgres_up() {
  local folder="$1" port
  PG_DIR="$folder"
  if [ ! -s "$folder/data/PG_VERSION" ]; then
    say "making a PostgreSQL cluster in ${folder#"$HERE"/} …"
    rm -rf "$folder"; mkdir -p "$folder"
    (umask 077; head -c 18 /dev/urandom | base64 | tr '+/' '-_' >"$folder/password")
    if [ "$(id -u)" = 0 ]; then
      reach "$folder"
      chown -R postgres: "$folder"
    fi
    as_pg "$PG_BIN/initdb" -D "$folder/data" -U merak --pwfile="$folder/password" -A scram-sha-256 -E UTF8 --locale=C.UTF-8 >>"$VAR/install.log" 2>&1 ||
      fail "the PostgreSQL cluster could not be made" "see the end of $VAR/install.log; remove $folder and run this again"
  fi
  if [ -s "$folder/data/postmaster.pid" ] && as_pg "$PG_BIN/pg_ctl" -D "$folder/data" status >/dev/null 2>&1; then
    port="$(sed -n 4p "$folder/data/postmaster.pid")"
  else
    port="$(free_port "$2")"
    # A shell of its own, so that Ctrl-C reaches us first and we stop the server in order.
    as_pg setsid "$PG_BIN/pg_ctl" -D "$folder/data" -l "$folder/log" -w -t 60 -s \
      -o "-c listen_addresses=127.0.0.1 -c port=$port -c unix_socket_directories='' -c log_min_messages=fatal -c log_min_error_statement=panic" start ||
      fail "PostgreSQL did not start" "see $folder/log"
    PG_OURS=1
  fi
  export MERAK_DATABASE_URL="postgresql://merak:$(cat "$folder/password")@127.0.0.1:$port/postgres"
}

postgres_down() { [ -n "${PG_OURS:-}" ] && as_pg "$PG_BIN/pg_ctl" -D "$PG_DIR/data" -m fast -s stop || true; PG_OURS=""; }

# reach FOLDER: lets the postgres user walk down to a folder that lies below root-only ones.
reach() {
  as_pg test -x "$1" 2>/dev/null && return 0
  local at="$1"
  while [ "$at" != / ]; do
    as_pg test -x "$at" 2>/dev/null || chmod o+x "$at"
    at="$(dirname "$at")"
  done
}

# pdf_libraries: what WeasyPrint draws with.
pdf_libraries() {
  need "/usr/lib/*/libpangoft2-1.0.so.0" libpango-1.0-0 libpangoft2-1.0-0
  need "/usr/lib/*/libharfbuzz-subset.so.0" libharfbuzz-subset0
}

# use_database NAME: makes it when it is not there, and points MERAK_DATABASE_URL at it.
use_database() {
  local server="${MERAK_DATABASE_URL%/*}"
  "$PG_BIN/psql" "$server/postgres" -XAtqc "SELECT 1 FROM pg_database WHERE datname = '$1'" | grep -q 1 ||
    "$PG_BIN/psql" "$server/postgres" -Xqc "CREATE DATABASE $1"
  export MERAK_DATABASE_URL="$server/$1"
}

# browser_libraries: Debian's Chromium, and what the program that drives it is linked with.
browser_libraries() {
  need chromium-headless-shell chromium-headless-shell
  need "/usr/lib/*/libatomic.so.1" libatomic1
}
