# Shared by ./demo and ./check: system libraries and the virtual environment.

missing_packages() {
    # Libraries are looked for by file name, so that any package that brings them will do.
    for pair in libEGL.so.1:libegl1 libGL.so.1:libgl1 libxkbcommon.so.0:libxkbcommon0 \
        libxkbcommon-x11.so.0:libxkbcommon-x11-0 libdbus-1.so.3:libdbus-1-3 libfontconfig.so.1:libfontconfig1 \
        libglib-2.0.so.0:libglib2.0-0 libxcb-cursor.so.0:libxcb-cursor0 libxcb-icccm.so.4:libxcb-icccm4 \
        libxcb-image.so.0:libxcb-image0 libxcb-keysyms.so.1:libxcb-keysyms1 libxcb-randr.so.0:libxcb-randr0 \
        libxcb-render-util.so.0:libxcb-render-util0 libxcb-shape.so.0:libxcb-shape0 \
        libxcb-xinerama.so.0:libxcb-xinerama0 libxcb-xkb.so.1:libxcb-xkb1; do
        file=${pair%%:*}
        /sbin/ldconfig -p 2>/dev/null | grep -q "$file" || echo "${pair#*:}"
    done
    if [ "$1" = check ]; then command -v Xvfb >/dev/null 2>&1 || echo xvfb; fi
    command -v python3 >/dev/null 2>&1 || echo python3
    python3 -c 'import ensurepip, venv' >/dev/null 2>&1 || echo python3-venv
}

setup_system() {
    wanted=$(missing_packages "$1" | sort -u | tr '\n' ' ')
    [ -n "$wanted" ] || return 0
    as_root=""
    if [ "$(id -u)" != 0 ]; then
        if command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then as_root="sudo -n"; else as_root=no; fi
    fi
    if [ "$as_root" = no ] || ! command -v apt-get >/dev/null 2>&1; then
        echo "Some system libraries are missing. Run this, then start again:" >&2
        echo "  sudo apt-get update && sudo apt-get install -y --no-install-recommends $wanted" >&2
        exit 1
    fi
    echo "Installing system libraries: $wanted"
    $as_root apt-get update -qq
    # shellcheck disable=SC2086
    DEBIAN_FRONTEND=noninteractive $as_root apt-get install -y -qq --no-install-recommends $wanted >/dev/null
}

setup_python() {
    # .venv/.ready holds the checksum of what was installed; a second start installs nothing.
    if ! python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
        echo "Python 3.11 or newer is needed; this is $(python3 --version 2>&1)." >&2
        exit 1
    fi
    locks=tools/lock-runtime.txt
    [ "$1" = check ] && locks="tools/lock-runtime.txt tools/lock-check.txt"
    # shellcheck disable=SC2086
    stamp="$(sed -n "/^\[project/,/^\[tool/p" pyproject.toml | cat - tools/lock-runtime.txt tools/lock-check.txt | cksum) $PWD"
    # What ./check needs holds all that ./demo needs.
    for ready in ".venv/.ready-$1" .venv/.ready-check; do
        if [ "$(cat "$ready" 2>/dev/null)" = "$stamp" ]; then return 0; fi
    done
    [ -x .venv/bin/python ] || python3 -m venv .venv
    echo "Installing Python packages into .venv"
    set --  "$1"
    for lock in $locks; do .venv/bin/python -m pip install -q --disable-pip-version-check -r "$lock"; done
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
    # A first start would otherwise parse every module, and where bytecode is not written, every start.
    .venv/bin/python -m compileall -q src
    echo "Compiling the estimator's loops and the simulated car (once)"
    .venv/bin/python -m lean_trim.core.pipeline.precompile
    .venv/bin/python -m lean_trim.simcar.precompile
    echo "$stamp" > ".venv/.ready-$1"
}
