# Makes the machine ready: system packages, the Python environment, the compiled cache.
# Sourced by the commands beside it; each step is skipped when its result is already there.
set -euo pipefail

MEZZAVOCE_ROOT=$(cd "$(dirname "${BASH_SOURCE[0]}")/../.." && pwd)
export MEZZAVOCE_ROOT
export MEZZAVOCE_DATA_DIR=${MEZZAVOCE_DATA_DIR:-$MEZZAVOCE_ROOT/.local/data}
export MEZZAVOCE_ENV_DIR=${MEZZAVOCE_ENV_DIR:-$MEZZAVOCE_ROOT/.local/env}
export NUMBA_CACHE_DIR=$MEZZAVOCE_ENV_DIR/compiled
export XDG_CACHE_HOME=$MEZZAVOCE_ENV_DIR/cache XDG_CONFIG_HOME=$MEZZAVOCE_ENV_DIR/config
export PYTHONPATH=$MEZZAVOCE_ROOT/src:$MEZZAVOCE_ROOT
UV_VERSION=0.13.9

say() { printf '%s\n' "$*" >&2; }

missing_system_packages() {
    command -v mariadbd >/dev/null || [ -x /usr/sbin/mariadbd ] || echo mariadb-server
    command -v redis-server >/dev/null || echo redis-server
    command -v ffmpeg >/dev/null || echo ffmpeg
    command -v espeak-ng >/dev/null || echo espeak-ng
    /sbin/ldconfig -p 2>/dev/null | grep -q 'libFLAC\.so\.12' || echo libflac12
    command -v gcc >/dev/null || echo gcc libc6-dev
    [ -e /usr/include/mariadb/mysql.h ] || echo libmariadb-dev
    command -v pkg-config >/dev/null || echo pkg-config
    # A Python that was not installed by Debian brings its own venv module and headers.
    if [ "$(command -v python3)" = /usr/bin/python3 ] || ! command -v python3 >/dev/null; then
        [ -e /usr/include/python3.11/Python.h ] || echo python3-dev
        dpkg -s python3-venv >/dev/null 2>&1 || echo python3-venv
    fi
    if [ "${1:-}" = with-browser ]; then
        [ -x /usr/bin/chromium ] || echo chromium
    fi
}

ensure_system_packages() {
    local wanted
    wanted=$(missing_system_packages "$@" | tr '\n' ' ')
    [ -n "${wanted// /}" ] || return 0
    local become=()
    if [ "$(id -u)" != 0 ]; then
        command -v sudo >/dev/null || { say "Missing Debian packages: $wanted. Install them as root, then start again."; exit 1; }
        become=(sudo)
    fi
    say "Installing Debian packages: $wanted"
    # Without this file the database and queue packages would start services of their own.
    local policy=/usr/sbin/policy-rc.d placed=""
    if [ ! -e $policy ]; then
        printf '#!/bin/sh\nexit 101\n' | "${become[@]}" tee $policy >/dev/null
        "${become[@]}" chmod 755 $policy
        placed=yes
    fi
    local log; log=$(mktemp)
    if ! { "${become[@]}" env DEBIAN_FRONTEND=noninteractive apt-get update &&
           "${become[@]}" env DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=300 \
               install -y --no-install-recommends $wanted; } >"$log" 2>&1; then
        tail -n 20 "$log" >&2
        [ -z "$placed" ] || "${become[@]}" rm -f $policy
        say "The Debian packages could not be installed; the lines above say why."
        exit 1
    fi
    rm -f "$log"
    [ -z "$placed" ] || "${become[@]}" rm -f $policy
}

# What runs the application, or with "with-tools" what tests and looks after it as well; that holds all of the former.
ensure_python() {
    local stamp=$MEZZAVOCE_ENV_DIR/installed lock=$MEZZAVOCE_ROOT/requirements.lock
    local tools=$MEZZAVOCE_ROOT/requirements-dev.lock
    [ "${1:-}" != with-tools ] || lock=$tools
    if ! cmp -s "$lock" "$stamp" && ! cmp -s "$tools" "$stamp"; then
        say "Installing the Python packages (once)"
        mkdir -p "$MEZZAVOCE_ENV_DIR"
        local python; python=$(command -v python3.11 || command -v python3)
        "$python" -m venv "$MEZZAVOCE_ENV_DIR"
        "$MEZZAVOCE_ENV_DIR/bin/pip" install --quiet --no-cache-dir --disable-pip-version-check "uv==$UV_VERSION"
        VIRTUAL_ENV=$MEZZAVOCE_ENV_DIR UV_CACHE_DIR=$MEZZAVOCE_ENV_DIR/uv-cache UV_PYTHON_DOWNLOADS=never UV_SYSTEM_CERTS=1 \
            UV_COMPILE_BYTECODE=1 "$MEZZAVOCE_ENV_DIR/bin/uv" pip install --quiet --require-hashes -r "$lock"
        cp "$lock" "$stamp"
    fi
    export PATH=$MEZZAVOCE_ENV_DIR/bin:$PATH
}

ensure_compiled() {
    local stamp=$MEZZAVOCE_ENV_DIR/warmed sums
    sums=$(cat "$MEZZAVOCE_ROOT"/src/mezzavoce_core/{signal/*,media/unpack,measure/gain/loops}.py | cksum)
    [ "$sums" = "$(cat "$stamp" 2>/dev/null)" ] && return 0
    say "Compiling the measuring loops (once)"
    python -m mezzavoce_core.command.precompile
    printf '%s' "$sums" >"$stamp"
}

ensure_environment() {
    ensure_system_packages "$@"
    # Whoever drives a browser tests something.
    ensure_python ${1:+with-tools}
    ensure_compiled
}
