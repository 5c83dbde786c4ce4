#!/bin/sh
# Resolves pyproject.toml in an environment of its own and writes the exact versions down.
set -eu
cd "$(dirname "$0")/.."
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
python3 -m venv "$scratch/venv"
"$scratch/venv/bin/python" -m pip install --quiet --disable-pip-version-check 'setuptools>=77' '.[dev]'
{
    echo "# Exact versions for Python 3.11, written by 'make lock' from pyproject.toml."
    "$scratch/venv/bin/python" -m pip freeze --all --disable-pip-version-check --exclude blunt-ember --exclude pip
} >requirements.lock
