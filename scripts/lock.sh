#!/bin/sh
# Resolves pyproject.toml in an environment of its own and writes the exact versions down, with hashes of their files.
set -eu
cd "$(dirname "$0")/.."
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
python3 -m venv "$scratch/venv"
"$scratch/venv/bin/python" -m pip install --quiet --disable-pip-version-check pip-tools
echo 'setuptools>=77' >"$scratch/build.in"
"$scratch/venv/bin/pip-compile" --quiet --generate-hashes --all-extras --strip-extras --allow-unsafe --upgrade \
    --no-emit-index-url --no-emit-find-links --no-emit-trusted-host --no-header --annotation-style=line \
    --output-file "$scratch/lock" pyproject.toml "$scratch/build.in"
{
    echo "# Exact versions with the hashes of their files, written by 'make lock' from pyproject.toml."
    grep -v '^#' "$scratch/lock"
} >requirements.lock
