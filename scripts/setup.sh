# Sourced by ./start and ./check: system packages, the venv and the locked Python packages.
set -euo pipefail
root="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
cd "$root"

system_packages="python3-venv python3-dev libgl1 libegl1 libfontconfig1 libdbus-1-3 libglib2.0-0 libxkbcommon0 \
libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 \
libxcb-shape0 libxcb-xinerama0"

missing=""
if command -v dpkg-query >/dev/null; then
    for package in $system_packages; do
        dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q "ok installed" || missing="$missing $package"
    done
fi
if [ -n "$missing" ]; then
    if [ "$(id -u)" = 0 ]; then
        echo "lunar haze: installing system packages:$missing"
        export DEBIAN_FRONTEND=noninteractive
        apt-get update -qq && apt-get install -y -qq --no-install-recommends $missing >/dev/null
    else
        echo "lunar haze: these system packages are missing; run: sudo apt-get install$missing" >&2
    fi
fi

python="${LUNAR_HAZE_PYTHON:-python3}"
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || {
    echo "lunar haze: Python 3.11 or newer is needed; set LUNAR_HAZE_PYTHON to one" >&2; exit 1; }
[ -x .venv/bin/python ] || "$python" -m venv .venv

# The stamp holds what was installed: a second start neither installs nor looks.
stamp="$(cat requirements.lock pyproject.toml | sha256sum | cut -d' ' -f1)"
if [ "$(cat .venv/lunar-haze-stamp 2>/dev/null)" != "$stamp" ]; then
    echo "lunar haze: installing the locked Python packages (about 1.2 GB, once)"
    .venv/bin/python -m pip install -q --disable-pip-version-check -r requirements.lock
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
    echo "$stamp" > .venv/lunar-haze-stamp
fi
