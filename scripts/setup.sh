# Sourced by ./run and ./check: makes .venv from a lock file, once for each state of that file.
# Usage: set_up LOCKFILE [LOCKFILES IT HOLDS]
set -euo pipefail

qt_packages="libegl1 libgl1 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libglib2.0-0 \
libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 \
libxcb-shape0 libxcb-xinerama0 libxcb-xkb1"
font_packages="fonts-noto-core fonts-wqy-microhei fonts-noto-color-emoji" # names of every script, on screen and paper

system_libraries() { # packages...
    command -v dpkg-query >/dev/null || return 0
    local missing=""
    for package in "$@"; do
        dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q "install ok installed" || missing="$missing $package"
    done
    [ -n "$missing" ] || return 0
    if [ "$(id -u)" = 0 ]; then
        echo "Installing system libraries:$missing"
        # shellcheck disable=SC2086
        { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing; } >/dev/null
    else
        echo "Tuning needs these system libraries. Run this once, then start again:" >&2
        echo "  sudo apt-get install --no-install-recommends$missing" >&2
        exit 1
    fi
}

find_python() {
    for candidate in python3.11 python3.12 python3.13 python3; do
        if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
            echo "$candidate"
            return
        fi
    done
    echo "Tuning needs Python 3.11 or newer with venv." >&2
    exit 1
}

stamp_of() { # lock file
    cat "$1" pyproject.toml scripts/setup.sh | sha256sum | cut -d' ' -f1
}

fetch_models() { # pip options; what proposes markers: without it they are placed by hand, so a failure stops nothing
    grep -qsx "$(sha256sum < models.lock)" .venv/models && return
    echo "Fetching the body model that proposes markers …"
    if .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes --no-deps "$@" -r models.lock; then
        sha256sum < models.lock > .venv/models
    else
        echo "The body model could not be fetched; markers are placed by hand. The next start tries again." >&2
    fi
}

set_up() { # lock file, and any whose packages it holds too
    local lock=$1 python
    if [ -x .venv/bin/tuning ] && grep -qsx "$(stamp_of "$lock")" .venv/set-up; then
        fetch_models --retries 0 --timeout 10
        return
    fi
    python="$(find_python)"
    echo "Setting up .venv from $lock …"
    [ -x .venv/bin/python ] || "$python" -m venv .venv
    .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r "$lock"
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
    .venv/bin/python -c "import tuning.video.track.api" # makes its machine code once, before anyone waits for it
    for lock in "$@"; do stamp_of "$lock"; done > .venv/set-up
    fetch_models
}
