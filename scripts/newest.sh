#!/bin/sh
# Prepares .venv-newest with the newest Python there is, so that the tests of the window run in it and the core's in the
# oldest; it is .venv itself where there is no newer one.
set -eu
cd "$(dirname "$0")/.."

version() { "$1" -c 'import ensurepip, sys, venv; print("%d.%d" % sys.version_info[:2])' 2>/dev/null || true; }

newest=""
for minor in 3.13 3.12; do
    for candidate in "python$minor" "${PYENV_ROOT:-${HOME:-}/.pyenv}"/versions/$minor*/bin/python3; do
        if [ -z "$newest" ] && [ "$(version "$candidate")" = "$minor" ]; then newest=$candidate; fi
    done
done
if [ -z "$newest" ] || [ "$(version "$newest")" = "$(version .venv/bin/python)" ]; then
    ln -sfn .venv .venv-newest
    exit 0
fi
[ -x .venv-newest/bin/python ] || "$newest" -m venv .venv-newest
pip=".venv-newest/bin/python -m pip install --quiet --disable-pip-version-check"
$pip --require-hashes --requirement requirements.lock
$pip --no-deps --no-build-isolation --editable .
