# Sourced by ./start and ./check: system packages, the venv and the locked Python packages. $need is run or develop.
set -euo pipefail
root="$(cd "$(dirname "$(readlink -f "${BASH_SOURCE[0]}")")/.." && pwd)"
cd "$root"

# Compiled modules are kept: there are some thousand, and the window, its renderer and each test's processes load them.
unset PYTHONDONTWRITEBYTECODE

fail() {
    echo "lunar haze: $*" >&2
    exit 1
}

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
        apt-get update -qq && apt-get install -y -qq --no-install-recommends $missing >/dev/null ||
            echo "lunar haze: some of them could not be installed; it may start all the same" >&2
    else
        echo "lunar haze: these system packages are missing; run: sudo apt-get install$missing" >&2
    fi
fi

python="${LUNAR_HAZE_PYTHON:-python3}"
command -v "$python" >/dev/null || fail "there is no $python; install Python 3.11 or newer, or set LUNAR_HAZE_PYTHON to one"
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' ||
    fail "Python 3.11 or newer is needed; set LUNAR_HAZE_PYTHON to one"

# The stamp holds what was installed, for which Python and where: a second start neither installs nor looks. After the
# folder was moved, Python was upgraded or the venv was broken it does not fit, and the venv is made anew.
locks="requirements.lock"
[ "$need" = develop ] && locks="requirements.lock requirements-dev.lock"
installed="$(cat $locks pyproject.toml | sha256sum | cut -d' ' -f1)"
version="$("$python" -c 'import sys; print(sys.version)' | tr '\n' ' ')"
home="$root | $version"

if [ -e .venv ] && { [ "$(cat .venv/lunar-haze-home 2>/dev/null)" != "$home" ] || ! .venv/bin/python -c '' 2>/dev/null; }; then
    echo "lunar haze: the folder was moved, Python was upgraded or .venv is broken: it is made anew"
    rm -rf .venv
fi
if [ ! -x .venv/bin/python ]; then
    "$python" -m venv .venv || fail "no venv can be made; run: sudo apt-get install python3-venv (and see that the disk is not full)"
    echo "$home" > .venv/lunar-haze-home
fi
if ! grep -qsx "$installed" .venv/lunar-haze-stamp; then
    .venv/bin/python -m pip --version >/dev/null 2>&1 || .venv/bin/python -m ensurepip -q >/dev/null 2>&1 ||
        fail ".venv has no pip; run: sudo apt-get install python3-venv, delete $root/.venv and start again"
    echo "lunar haze: installing the locked Python packages (about 1.2 GB, once)"
    arguments_of_pip="-q --disable-pip-version-check"
    for lock in $locks; do
        .venv/bin/python -m pip install $arguments_of_pip -r "$lock" ||
            fail "the packages of $lock could not be installed; the network is needed once (what pip said is above)"
    done
    .venv/bin/python -m pip install $arguments_of_pip --no-deps --no-build-isolation -e . ||
        fail "the program itself could not be installed; what pip said is above"
    echo "$installed" >> .venv/lunar-haze-stamp
fi
