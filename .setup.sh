# Sourced by ./run and ./test: Python environment and system libraries.

even_palette_libraries="libegl1 libgl1 libgl1-mesa-dri libglib2.0-0 libfontconfig1 libdbus-1-3 libxkbcommon0 libxkbcommon-x11-0 \
libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-sync1 \
libxcb-util1 libxcb-xfixes0 libxcb-xkb1 libx11-xcb1 libbrotli1 libzstd1 python3-venv"

setup_even_palette() {
  local top=$1 purpose=$2 missing="" name
  local wanted=$even_palette_libraries
  [ "$purpose" = tests ] && wanted="$wanted xvfb glslang-tools" && ! command -v npm >/dev/null && wanted="$wanted nodejs npm"
  if command -v dpkg-query >/dev/null; then
    for name in $wanted; do
      dpkg-query -W -f='${Status}' "$name" 2>/dev/null | grep -q 'ok installed' || missing="$missing $name"
    done
  fi
  if [ -n "$missing" ]; then
    local apt="apt-get install -y --no-install-recommends$missing"
    if [ "$(id -u)" = 0 ]; then
      (apt-get update -q && DEBIAN_FRONTEND=noninteractive $apt) >&2 || { echo "Could not run: $apt" >&2; return 1; }
    elif sudo -n true 2>/dev/null; then
      (sudo apt-get update -q && sudo DEBIAN_FRONTEND=noninteractive $apt) >&2 || { echo "Could not run: sudo $apt" >&2; return 1; }
    else
      echo "Some system libraries are missing. Install them with:  sudo $apt" >&2
      return 1
    fi
  fi

  local lock="$top/requirements.lock" stamp="$top/.venv/.lock-installed" python
  [ "$purpose" = tests ] && { lock="$top/requirements-tests.lock"; stamp="$top/.venv/.tests-lock-installed"; setup_even_palette "$top" runtime || return 1; }
  if [ ! -f "$stamp" ] || ! cmp -s "$lock" "$stamp"; then
    for python in python3.11 /usr/bin/python3.11 python3; do
      "$python" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' 2>/dev/null && break
      python=""
    done
    [ -n "$python" ] || { echo "Python 3.11 is needed:  sudo apt-get install python3.11 python3.11-venv" >&2; return 1; }
    echo "Setting up Python packages (once for each lock file) …" >&2
    [ -x "$top/.venv/bin/python" ] || "$python" -m venv "$top/.venv"
    "$top/.venv/bin/python" -m pip install -q --disable-pip-version-check -r "$lock" >&2
    if [ "$purpose" = runtime ]; then
      "$top/.venv/bin/python" -m pip install -q --disable-pip-version-check --no-deps -e "$top" >&2
      "$top/.venv/bin/python" -m compileall -q "$top/even_palette" >&2
      "$top/.venv/bin/python" -m even_palette.core.mesh.warm >&2  # compiled loops are kept on disk
    fi
    cp "$lock" "$stamp"
  fi
  if [ "$purpose" = tests ] && [ ! -d "$top/tests/node/node_modules/gltf-validator" ]; then
    (cd "$top/tests/node" && npm install --no-package-lock --no-audit --no-fund --silent) >&2
  fi
}
