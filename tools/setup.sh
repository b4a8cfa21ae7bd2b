# Sets everything up for ./demo and ./check: system packages, virtual environment, Python packages.
# To be sourced from the repository's root. Use: set_up EXTRA   (EXTRA is "" or "[dev]")
# Quick the second time: nothing is done while pyproject.toml and the interpreter are the same.

PACKAGES_PYTHON="python3 python3-venv"
PACKAGES_QT="libegl1 libgl1 libglib2.0-0 libdbus-1-3 libfontconfig1 libxkbcommon0 \
libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1 libxcb-shape0 libxcb-xkb1 libxkbcommon-x11-0"
LIBRARIES_QT="libEGL.so.1 libGL.so.1 libglib-2.0.so.0 libdbus-1.so.3 libfontconfig.so.1 \
libxkbcommon.so.0 libxcb-cursor.so.0 libxcb-icccm.so.4 libxcb-keysyms.so.1 libxcb-shape.so.0 \
libxcb-xkb.so.1 libxkbcommon-x11.so.0"

BROWSER="chromium"

# Compiled modules are kept: else each of the many processes of the tests compiles all of them again.
unset PYTHONDONTWRITEBYTECODE

say() { printf '%s\n' "knitground: $*" >&2; }

missing_packages() {
    # The worked example of a reader that is a page is tested in a real browser.
    if [ -n "$1" ] && ! command -v chromium >/dev/null && ! command -v chromium-browser >/dev/null; then
        printf '%s ' "$BROWSER"
    fi
    if ! python3 -c 'import ensurepip, venv, sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
        printf '%s ' "$PACKAGES_PYTHON"
    fi
    local known
    known=$(PATH="$PATH:/sbin:/usr/sbin" ldconfig -p 2>/dev/null || true)
    for library in $LIBRARIES_QT; do
        case "$known" in
            *"$library "*) ;;
            *) printf '%s ' "$PACKAGES_QT"; return ;;
        esac
    done
}

install_packages() {
    local wanted
    wanted=$(missing_packages "$1")
    [ -z "$wanted" ] && return 0
    local command="apt-get install -y --no-install-recommends $wanted"
    if [ "$(id -u)" != 0 ] || ! command -v apt-get >/dev/null; then
        say "some system packages are missing. Type this, then try again:"
        say "    sudo $command"
        exit 1
    fi
    say "installing system packages: $wanted"
    apt-get update -qq >&2
    # shellcheck disable=SC2086 - a list of words
    DEBIAN_FRONTEND=noninteractive $command -qq >&2
}

set_up() {
    local extra="$1" stamp wanted
    install_packages "$extra"
    if ! python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
        say "Python 3.11 or newer is needed; this is $(python3 --version)"
        exit 1
    fi
    stamp=".venv/stamp$extra"
    wanted="$(python3 --version) $(cksum < pyproject.toml) $PWD"
    if [ -x .venv/bin/python ] && [ "$(cat "$stamp" 2>/dev/null)" = "$wanted" ]; then
        return 0
    fi
    say "setting up .venv (once; a few minutes)"
    [ -x .venv/bin/python ] || python3 -m venv .venv
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-compile -e ".$extra" >&2
    printf '%s' "$wanted" > "$stamp"
}
