#!/usr/bin/env bash
# Makes the virtual environment with the pinned packages and, as root, installs the system libraries that Qt needs.
# Quick when there is nothing to do: a stamp remembers what was installed.
set -eu
cd "$(dirname "$0")/.."

say() { printf 'setup: %s\n' "$*" >&2; }

apt_install() {
    if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
        say "installing system packages: $*"
        apt-get update -q >/dev/null
        DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "$@" >/dev/null
    else
        say "these system packages are needed and only root can install them:"
        say "    sudo apt-get install $*"
        exit 1
    fi
}

python=""
for candidate in python3.11 python3.12 python3.13 python3; do
    if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
        python=$candidate
        break
    fi
done
if [ -z "$python" ]; then
    apt_install python3 python3-venv
    python=python3
fi
"$python" -c 'import ensurepip, venv' 2>/dev/null || apt_install python3-venv

# Libraries that the Qt wheels expect from the system: the offscreen platform needs the first group, a window the second; the last is for
# sound output.
missing=""
libraries=$(ldconfig -p 2>/dev/null || /sbin/ldconfig -p)
need() { case "$libraries" in *"$1"*) ;; *) missing="$missing $2" ;; esac; }
need libEGL.so.1 libegl1
need libGL.so.1 libgl1
need libxkbcommon.so.0 libxkbcommon0
need libfontconfig.so.1 libfontconfig1
need libdbus-1.so.3 libdbus-1-3
need libglib-2.0.so.0 libglib2.0-0
need libxcb-cursor.so.0 libxcb-cursor0
need libxcb-icccm.so.4 libxcb-icccm4
need libxcb-image.so.0 libxcb-image0
need libxcb-keysyms.so.1 libxcb-keysyms1
need libxcb-render-util.so.0 libxcb-render-util0
need libxcb-shape.so.0 libxcb-shape0
need libxkbcommon-x11.so.0 libxkbcommon-x11-0
need libportaudio.so.2 libportaudio2
# What the tests try the system's services with: a bus of their own.
command -v dbus-daemon >/dev/null || missing="$missing dbus-daemon"
# shellcheck disable=SC2086
[ -z "$missing" ] || apt_install $missing

stamp=.venv/.installed
wanted=$(cat pyproject.toml constraints.txt | sha256sum)
if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$wanted" ]; then
    exit 0
fi
say "installing the pinned packages into .venv (once; a few minutes on a slow line)"
[ -x .venv/bin/python ] || "$python" -m venv .venv
pip() { .venv/bin/python -m pip --disable-pip-version-check "$@"; }
# uv unpacks on all processors, in a sixth of the time; where it finds no way to the packages, pip does the same, and says what is wrong.
# It does not know pip's settings, so it is told where pip would look.
quickly() {
    pip install -q -c constraints.txt uv || return 1
    index=$(pip config list | sed -n "s/^[^=]*[.]index-url='\(.*\)'$/\1/p" | tail -n 1)
    [ -z "$index" ] || export UV_DEFAULT_INDEX="$index"
    UV_HTTP_TIMEOUT=20 .venv/bin/uv pip install -q --no-cache --python .venv/bin/python -c constraints.txt -e '.[dev]'
}
# Of all that is installed a tenth is ever imported: it is compiled then.
quickly 2>/dev/null || pip install -q --no-compile -c constraints.txt -e '.[dev]'
printf '%s\n' "$wanted" >"$stamp"
