#!/usr/bin/env bash
# Sets up everything Loyal Trace needs: system libraries, a virtual environment, pinned packages.
# Does nothing, quickly, when all of it is there already.
set -euo pipefail
cd "$(dirname "$0")/.."

LIBS="libgl1 libegl1 libglib2.0-0 libfontconfig1 libxkbcommon0 libdbus-1-3 libxcb-cursor0 libxcb-icccm4
libxcb-image0 libxcb-keysyms1 libxcb-render-util0 libxcb-shape0 libxcb-xkb1 libxkbcommon-x11-0
xvfb xauth dbus at-spi2-core desktop-file-utils appstream shared-mime-info gcc libc6-dev"

# Does a Python at hand make virtual environments, pip included? (Debian splits that into python3-venv.)
find_python() {
    for candidate in python3.11 python3 python3.12 python3.13; do
        if command -v "$candidate" >/dev/null 2>&1 \
            && "$candidate" -c 'import sys, venv, ensurepip; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
            echo "$candidate"
            return
        fi
    done
}

as_root() {
    if [ "$(id -u)" = 0 ]; then "$@"
    elif command -v sudo >/dev/null 2>&1; then sudo "$@"
    else echo "setup: not root and no sudo here; please install: $*" >&2; return 1
    fi
}

install_system_packages() {
    command -v apt-get >/dev/null 2>&1 || return 0
    local missing=""
    for package in $LIBS; do
        [ "$(dpkg-query -W -f='${Status}' "$package" 2>/dev/null)" = "install ok installed" ] || missing="$missing $package"
    done
    [ -n "$(find_python)" ] || missing="$missing python3 python3-venv"
    [ -n "$missing" ] || return 0
    echo "setup: installing system packages:$missing"
    as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq
    # shellcheck disable=SC2086
    as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
}

install_python_packages() {
    local stamp=.venv/.loyal-trace-lock wanted
    wanted=$(cat requirements.lock pyproject.toml | sha256sum | cut -d' ' -f1)
    if [ -x .venv/bin/loyal-trace ] && [ "$(cat $stamp 2>/dev/null)" = "$wanted" ]; then return 0; fi
    echo "setup: making .venv and installing the pinned packages"
    [ -x .venv/bin/python ] && .venv/bin/python -c 'import pip' 2>/dev/null || "$(find_python)" -m venv --clear .venv
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements.lock
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
    echo "$wanted" > $stamp
}

compile_helper() {  # once: it is kept on disk; everything works without it, only slower
    local stamp=.venv/.loyal-trace-compiled wanted
    wanted=$(sha256sum src/loyal_trace/compiled/sha1.c | cut -d' ' -f1)
    [ "$(cat $stamp 2>/dev/null)" = "$wanted" ] && ls src/loyal_trace/compiled/*.so >/dev/null 2>&1 && return 0
    .venv/bin/python -m loyal_trace.compiled && echo "$wanted" > $stamp || true
}

install_system_packages
install_python_packages
compile_helper
