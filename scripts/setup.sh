#!/bin/sh
# Prepares .venv with the locked packages, and the shared libraries that Qt and VTK load at run time.
set -eu
cd "$(dirname "$0")/.."

say() { printf '%s\n' "$*" >&2; }

# Debian package of each shared library that no Python package brings along.
libraries="libEGL.so.1:libegl1 libGL.so.1:libgl1 libxkbcommon.so.0:libxkbcommon0 libdbus-1.so.3:libdbus-1-3
libfontconfig.so.1:libfontconfig1 libglib-2.0.so.0:libglib2.0-0 libX11.so.6:libx11-6 libXrender.so.1:libxrender1
libxcb-cursor.so.0:libxcb-cursor0 libxkbcommon-x11.so.0:libxkbcommon-x11-0 libxcb-icccm.so.4:libxcb-icccm4
libxcb-image.so.0:libxcb-image0 libxcb-keysyms.so.1:libxcb-keysyms1 libxcb-render-util.so.0:libxcb-render-util0
libxcb-shape.so.0:libxcb-shape0 libxcb-xinerama.so.0:libxcb-xinerama0 libXext.so.6:libxext6"

ldconfig_command=$(command -v ldconfig || echo /sbin/ldconfig)
known=$($ldconfig_command -p 2>/dev/null || true)
missing=""
for entry in $libraries; do
    case "$known" in
        *"${entry%%:*} "*) ;;
        *) missing="$missing ${entry##*:}" ;;
    esac
done
# The software renderer is a driver and not listed by its name; DejaVu Sans has figures of one width.
case "$known" in *libEGL_mesa.so.0*) ;; *) missing="$missing libegl-mesa0 libgl1-mesa-dri" ;; esac
fc-list 2>/dev/null | grep -q DejaVuSans || [ -e /usr/share/fonts/truetype/dejavu/DejaVuSans.ttf ] || missing="$missing fonts-dejavu-core"

python=""
for candidate in python3.11 python3 python3.12 python3.13; do
    if command -v "$candidate" >/dev/null 2>&1 &&
        "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
        python=$candidate
        break
    fi
done
if [ -z "$python" ]; then
    say "Python 3.11 or newer is needed. Install it with:  apt-get install python3"
    exit 1
fi
"$python" -c 'import ensurepip, venv' 2>/dev/null || missing="$missing python3-venv"

if [ -n "$missing" ]; then
    install="apt-get install -y --no-install-recommends$missing"
    if ! command -v apt-get >/dev/null 2>&1; then
        say "These libraries are missing; install what your system calls them, then run this again:"
        say " $missing"
        exit 1
    elif [ "$(id -u)" = 0 ]; then
        DEBIAN_FRONTEND=noninteractive sh -c "apt-get update -qq && $install"
    elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then
        sudo -n env DEBIAN_FRONTEND=noninteractive sh -c "apt-get update -qq && $install"
    else
        say "Some shared libraries are missing. Run this line, then this command again:"
        say "  sudo sh -c 'apt-get update && $install'"
        exit 1
    fi
fi

[ -x .venv/bin/python ] || "$python" -m venv .venv
.venv/bin/python -m pip install --quiet --disable-pip-version-check --require-hashes --requirement requirements.lock
.venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --editable .
.venv/bin/python -m compileall -q src || true
touch .venv/ready
