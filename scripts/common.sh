# What ./start and ./test share: installing what is missing, a free port, a PostgreSQL of their own.
# Sourced, not run. Expects $root, the project's folder.

# Every crate has tests with all of Hovrel in them: what only helps a debugger, or a second build, would take minutes
# and several gigabytes more. Both scripts build alike, so that the second finds what the first one built.
export CARGO_INCREMENTAL=0 CARGO_PROFILE_DEV_DEBUG=0

say() { printf '\033[1m%s\033[0m\n' "$*"; }

as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }

# install NAME…: Debian packages that are not there yet.
install() {
  local missing=()
  for name in "$@"; do dpkg -s "$name" >/dev/null 2>&1 || missing+=("$name"); done
  [ ${#missing[@]} = 0 ] && return
  say "Installing ${missing[*]}"
  as_root apt-get update -qq
  DEBIAN_FRONTEND=noninteractive as_root apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

# room GIGABYTES: says so if the disk has less free than is needed; a linker that runs out of it does not.
room() {
  local free; free=$(df -Pk "$root" | awk 'NR == 2 { print int($4 / 1048576) }')
  [ "$free" -ge "$1" ] || echo "Only $free GB are free on the disk of $root; about $1 GB are needed." >&2
}

free_port() {
  node -e 'require("net").createServer().listen(0, "127.0.0.1", function () { console.log(this.address().port); this.close() })'
}

# Runs a PostgreSQL command; as the postgres user where this is root, which the server refuses to run as.
pg() {
  local command=$1; shift
  local bin; bin=$(ls -d /usr/lib/postgresql/*/bin | sort -V | tail -1)
  if [ "$(id -u)" = 0 ]; then runuser -u postgres -- "$bin/$command" "$@"; else "$bin/$command" "$@"; fi
}

# start_postgres FOLDER [OPTIONS]: a cluster in FOLDER on loopback. Sets pg_folder and database_url.
start_postgres() {
  pg_folder=$1
  local options=${2:-} port
  # The postgres user must be able to reach the folder; a project in a private home is not reachable.
  if [ "$(id -u)" = 0 ]; then
    mkdir -p "$pg_folder"
    if ! runuser -u postgres -- test -x "$pg_folder"; then
      pg_folder="/var/tmp/hovrel-$(printf %s "$1" | cksum | cut -d' ' -f1)"
    fi
    mkdir -p "$pg_folder"
    chown postgres "$pg_folder"
  else
    mkdir -p "$pg_folder"
  fi
  chmod 700 "$pg_folder"
  if [ ! -e "$pg_folder/PG_VERSION" ]; then
    (cd / && pg initdb -D "$pg_folder" -U hovrel --auth=trust --encoding=UTF8 --locale=C.UTF-8 >/dev/null)
  fi
  port=$(free_port)
  (cd / && pg pg_ctl -D "$pg_folder" -w -t 60 -l "$pg_folder/log" \
    -o "-p $port -h 127.0.0.1 -c unix_socket_directories='' -c max_connections=200 $options" start >/dev/null 9>&-) || {
    tail -n 5 "$pg_folder/log"; return 1
  }
  database_url="postgres://hovrel@127.0.0.1:$port/postgres"
}

stop_postgres() { (cd / && pg pg_ctl -D "$pg_folder" -m fast -w stop >/dev/null 2>&1) || true; }

build_web() {
  say "Building the web client"
  (cd "$root/web" && { [ node_modules/.package-lock.json -nt package-lock.json ] || npm ci --loglevel=error --no-audit --no-fund; } && npm run --silent build)
}
