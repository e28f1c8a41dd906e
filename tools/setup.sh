# Shared by ./demo and ./check: system libraries and the virtual environment.

TICK_S=5
PAUSE_S=${PAUSE_S:-3}
MOST_WAIT_S=900

# step "What is done" [-n TOTAL] command...: runs it, tells how long it has been going, and how many of TOTAL
# packages were fetched; what it printed is shown only where it fails.
step() {
    step_says=$1
    shift
    step_total=""
    if [ "$1" = -n ]; then step_total=$2; shift 2; fi
    step_log=$(mktemp)
    step_began=$(date +%s)
    echo "$step_says"
    "$@" >"$step_log" 2>&1 &
    step_work=$!
    step_told=0
    while kill -0 "$step_work" 2>/dev/null; do
        sleep 0.1
        step_s=$(($(date +%s) - step_began))
        [ "$step_s" -ge $((step_told + TICK_S)) ] || continue
        step_told=$step_s
        step_how="$step_s s"
        if grep -q "$WAITS" "$step_log" 2>/dev/null; then step_how="$step_how, $(grep "$WAITS" "$step_log" | tail -1)"
        elif [ -n "$step_total" ]; then
            step_have=$(grep -cE '^(Collecting|Processing) ' "$step_log") || true
            step_how="$step_how, $step_have of $step_total packages"
            if grep -q '^Installing collected' "$step_log"; then step_how="$step_how fetched, unpacking"; fi
        fi
        # On one line where somebody looks, on lines of their own in a log.
        if [ -t 1 ]; then printf '\r    %s\033[K' "$step_how"; else echo "    $step_how"; fi
    done
    if [ -t 1 ] && [ "$step_told" != 0 ]; then printf '\r\033[K'; fi
    if wait "$step_work"; then rm -f "$step_log"; return 0; fi
    echo "This failed: $step_says. The end of what it said:" >&2
    tail -n 30 "$step_log" >&2
    rm -f "$step_log"
    return 1
}

WAITS="another program is using the package manager"

# apt COMMAND...: as root, patient with whoever holds the package manager.
apt() {
    apt_began=$(date +%s)
    while :; do
        apt_said=$(DEBIAN_FRONTEND=noninteractive LC_ALL=C $as_root apt-get -o DPkg::Lock::Timeout=30 "$@" 2>&1) && return 0
        case $apt_said in
        *"Could not get lock"* | *"Unable to acquire"* | *"Unable to lock"*) ;;
        *)
            echo "$apt_said"
            return 1
            ;;
        esac
        if [ $(($(date +%s) - apt_began)) -gt "$MOST_WAIT_S" ]; then
            echo "$apt_said"
            return 1
        fi
        echo "$WAITS; waiting for it"
        sleep "$PAUSE_S"
    done
}

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
    step "Asking which system libraries there are" apt update -qq
    # shellcheck disable=SC2086
    step "Installing system libraries: $wanted" apt install -y -qq --no-install-recommends $wanted
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
    echo "Setting up, once; this takes some minutes."
    [ -x .venv/bin/python ] || step "Making a Python environment in .venv" python3 -m venv .venv
    for lock in $locks; do
        count=$(grep -c '==' "$lock")
        step "Installing $count Python packages ($lock)" -n "$count" \
            .venv/bin/python -m pip install --progress-bar off --disable-pip-version-check -r "$lock"
    done
    step "Installing Lean Trim itself" \
        .venv/bin/python -m pip install --disable-pip-version-check --no-deps --no-build-isolation -e .
    # A first start would otherwise parse every module, and where bytecode is not written, every start.
    step "Preparing modules" .venv/bin/python -m compileall -q src
    step "Compiling the estimator's loops" .venv/bin/python -m lean_trim.core.pipeline.precompile
    step "Compiling the simulated car" .venv/bin/python -m lean_trim.simcar.precompile
    echo "$stamp" > ".venv/.ready-$1"
}
