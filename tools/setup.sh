# Sourced by ./demo and ./test: makes the virtual environment once, installs pinned packages, and on Debian as root
# the missing system libraries. Needs Python 3.11 or newer. Leaves $PY pointing at the environment's interpreter.
set -eu
ROOT=$(cd "$(dirname "$0")" && pwd)
VENV="${LABILIS_VENV:-$ROOT/.venv}"
SYSTEM_LIBS="libgl1 libegl1 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libdbus-1-3 libfontconfig1 fonts-dejavu-core libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0"

say() { printf '%s\n' "$*" >&2; }

find_python() {
  for candidate in ${LABILIS_PYTHON:-} python3.13 python3.12 python3.11 python3; do
    if command -v "$candidate" >/dev/null 2>&1 &&
       "$candidate" -c 'import sys, venv, ensurepip; sys.exit(sys.version_info < (3, 11))' >/dev/null 2>&1; then
      echo "$candidate"; return 0
    fi
  done
  return 1
}

need_system() {  # need_system PACKAGE...: installs what dpkg does not know, or says so
  command -v dpkg-query >/dev/null 2>&1 || return 0
  missing=""
  for package in "$@"; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing="$missing $package"
  done
  [ -z "$missing" ] && return 0
  if [ "$(id -u)" = 0 ]; then
    say "Installing system libraries:$missing"
    # shellcheck disable=SC2086
    { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing; } >/dev/null 2>&1 ||
      say "apt-get could not install:$missing (going on without)"
  else
    say "These system libraries are missing; a window may not open. Install them with:"
    say "  sudo apt-get install$missing"
  fi
}

PYTHON=$(find_python) || {
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
    { apt-get update -qq && apt-get install -y -qq --no-install-recommends python3 python3-venv; } >/dev/null 2>&1 || true
  fi
  PYTHON=$(find_python) || { say "Labilis needs Python 3.11 or newer with venv (Debian: apt-get install python3 python3-venv)."; exit 2; }
}

make_venv() {  # make_venv EXTRA: '' for the program, '[test]' for the checks as well
  stamp="$VENV/.labilis-$(printf '%s' "${1:-run}" | tr -dc a-z)"
  wanted=$(cat "$ROOT/constraints.txt" "$ROOT/pyproject.toml" | cksum)
  if [ -x "$VENV/bin/python" ] && [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$wanted $ROOT" ]; then return 0; fi
  "$VENV/bin/python" -c '' >/dev/null 2>&1 || { rm -rf "$VENV"; "$PYTHON" -m venv "$VENV"; }
  say "Installing packages into $VENV (first time only)"
  PIP_DISABLE_PIP_VERSION_CHECK=1 "$VENV/bin/python" -m pip install -q -c "$ROOT/constraints.txt" -e "$ROOT$1" >&2
  say "Compiling elements and mesher (first time only)"
  "$VENV/bin/python" -m labilis.run.prepare >&2
  printf '%s' "$wanted $ROOT" > "$stamp"
}
PY="$VENV/bin/python"
