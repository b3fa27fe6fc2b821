# Sourced by scripts/demo and scripts/test: everything that has to be there before Node can take over.
# Each step says what it does, does nothing the second time, and names the remedy when it fails.

say() { printf '%s\n' "· $*" >&2; }
fail() {
  printf 'error: %s\n' "$1" >&2
  shift
  for line in "$@"; do printf '  try: %s\n' "$line" >&2; done
  exit 1
}

need_node() {
  command -v node >/dev/null || fail "Node.js is not installed." "install Node.js 20.19 or later"
  node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)' ||
    fail "Node.js $(node --version) is too old." "install Node.js 20.19 or later"
  command -v npm >/dev/null || fail "npm is not installed." "install npm, which comes with Node.js"
}

# need_packages NAME:FILE …  installs the Debian packages whose file is missing.
need_packages() {
  local missing=() pair
  for pair in "$@"; do [ -e "${pair#*:}" ] || missing+=("${pair%%:*}"); done
  [ ${#missing[@]} -eq 0 ] && return
  command -v apt-get >/dev/null || fail "${missing[*]} is not installed, and this is no Debian system." "install ${missing[*]} by this system's own means"
  [ "$(id -u)" -eq 0 ] || fail "${missing[*]} is not installed, and installing needs root." "sudo apt-get install --no-install-recommends ${missing[*]}"
  say "installing ${missing[*]} (Debian packages)"
  mkdir -p .run
  # A policy of "do not start" keeps a system MariaDB from being started by its own installation.
  local policy=/usr/sbin/policy-rc.d made=
  if [ ! -e "$policy" ]; then printf '#!/bin/sh\nexit 101\n' >"$policy" && chmod +x "$policy" && made=1; fi
  if ! { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}"; } >.run/apt.log 2>&1; then
    [ -n "$made" ] && rm -f "$policy"
    if grep -qi 'no space left' .run/apt.log; then fail "The disk is full." "free about 1 GB, then run this again"; fi
    fail "apt-get could not install ${missing[*]}: $(grep -m1 '^E:' .run/apt.log || true)" "see .run/apt.log" "apt-get install ${missing[*]}"
  fi
  [ -n "$made" ] && rm -f "$policy"
  return 0
}

# Installs npm packages when the lock file is another one than last time.
install_node_modules() {
  local stamp=node_modules/.installed-from want
  want="$(sha256sum package-lock.json | cut -d' ' -f1) $(node --version)"
  [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$want" ] && return
  say "installing npm packages"
  mkdir -p .run
  if ! npm ci --no-audit --no-fund --loglevel=error >.run/npm.log 2>&1; then
    if grep -qi 'ENOSPC' .run/npm.log; then fail "The disk is full." "free about 1 GB, then run this again"; fi
    tail -n 5 .run/npm.log >&2
    fail "npm could not install the packages." "see .run/npm.log" "check the network, then run this again"
  fi
  printf '%s' "$want" >"$stamp"
}

# Builds when any source file changed since the last build.
build_if_changed() {
  local stamp=.run/built-from want
  mkdir -p .run
  want="$(find packages -path '*/node_modules' -prune -o -path '*/dist' -prune -o -type f -print0 | sort -z | xargs -0 sha256sum | cat - tsconfig.base.json package-lock.json | sha256sum | cut -d' ' -f1)"
  [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$want" ] && [ -d packages/service/dist ] && return
  say "building"
  if ! npm run --silent build >.run/build.log 2>&1; then
    cat .run/build.log >&2
    fail "The build failed." "see the lines above"
  fi
  printf '%s' "$want" >"$stamp"
}
