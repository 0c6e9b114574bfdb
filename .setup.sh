# Sourced by ./run and ./test: Python environment and system libraries. Every failure is told and returns 1.

even_palette_libraries="libegl1 libgl1 libgl1-mesa-dri libglib2.0-0 libfontconfig1 libdbus-1-3 libxkbcommon0 libxkbcommon-x11-0 \
libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-sync1 \
libxcb-util1 libxcb-xfixes0 libxcb-xkb1 libx11-xcb1 libbrotli1 libzstd1 python3-venv"

setup_even_palette() {
  local top=$1 purpose=$2
  even_palette_system "$purpose" || return 1
  (
    # One set-up at a time; a second one waits and finds the work done.
    if command -v flock >/dev/null && exec 9>"$top/.setup.lock"; then flock 9; fi
    even_palette_environment "$top" "$purpose"
  ) || { echo "The set-up failed; run it again when its cause is mended." >&2; return 1; }
}

even_palette_system() {
  local purpose=$1 missing="" name wanted=$even_palette_libraries
  if [ "$purpose" = tests ]; then
    wanted="$wanted xvfb glslang-tools"
    command -v npm >/dev/null || wanted="$wanted nodejs npm"
  fi
  command -v dpkg-query >/dev/null || return 0
  for name in $wanted; do
    dpkg-query -W -f='${Status}' "$name" 2>/dev/null | grep -q 'ok installed' || missing="$missing $name"
  done
  [ -n "$missing" ] || return 0
  local apt="apt-get install -y --no-install-recommends$missing"
  if [ "$(id -u)" = 0 ]; then
    (apt-get update -q && DEBIAN_FRONTEND=noninteractive $apt) >&2 || { echo "Could not run: $apt" >&2; return 1; }
  elif sudo -n true 2>/dev/null; then
    (sudo apt-get update -q && sudo DEBIAN_FRONTEND=noninteractive $apt) >&2 || { echo "Could not run: sudo $apt" >&2; return 1; }
  else
    echo "Some system libraries are missing. Install them with:  sudo $apt" >&2
    return 1
  fi
}

# An environment is made in a fresh folder and takes its place in the end, so that one that is there is whole.
even_palette_environment() {
  local top=$1 purpose=$2 python fresh="$1/.venv.new" lock stamp
  if [ "$purpose" = tests ]; then
    even_palette_environment "$top" runtime || return 1
    lock="$top/requirements-tests.lock" stamp="$top/.venv/.tests-lock"
    if ! cmp -s "$lock" "$stamp"; then
      even_palette_install "$top/.venv/bin/python" "$lock" && cp "$lock" "$stamp.new" && mv "$stamp.new" "$stamp" || return 1
    fi
    if ! cmp -s "$top/tests/node/package.json" "$top/tests/node/node_modules/.installed"; then
      (cd "$top/tests/node" && npm install --no-package-lock --no-audit --no-fund --silent) >&2 || return 1
      cp "$top/tests/node/package.json" "$top/tests/node/node_modules/.installed" || return 1
    fi
    return 0
  fi
  lock="$top/requirements.lock"
  cmp -s "$lock" "$top/.venv/.runtime-lock" && [ -x "$top/.venv/bin/python" ] && return 0
  for python in python3.11 /usr/bin/python3.11 python3; do
    "$python" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' 2>/dev/null && break
    python=""
  done
  [ -n "$python" ] || { echo "Python 3.11 is needed:  sudo apt-get install python3.11 python3.11-venv" >&2; return 1; }
  rm -rf "$fresh" && "$python" -m venv "$fresh" || return 1
  even_palette_install "$fresh/bin/python" "$lock" || return 1
  # The environment finds the checkout that it lies in, wherever that is moved or copied to.
  echo ../../../.. > "$fresh/lib/python3.11/site-packages/even_palette.pth" || return 1
  "$fresh/bin/python" -m compileall -q "$top/even_palette" >&2 || return 1
  for part in mesh regions tones; do # compiled loops are kept on disk
    (cd "$top" && "$fresh/bin/python" -m "even_palette.core.$part.compile_loops") >&2 || return 1
  done
  cp "$lock" "$fresh/.runtime-lock" || return 1
  rm -rf "$top/.venv" && mv "$fresh" "$top/.venv"
}

even_palette_install() {
  echo "Setting up Python packages (once for each lock file) …" >&2
  "$1" -m pip install -q --disable-pip-version-check -r "$2" >&2
}
