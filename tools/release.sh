#!/usr/bin/env bash
# Build what is released, and try each of it in an empty environment of every Python that is here.
#
#     tools/release.sh            build into dist/, install, run the demo
#     tools/release.sh --check    only compare the places that hold the version
set -euo pipefail
cd "$(dirname "$0")/.."

version="$(sed -n 's/^version = "\(.*\)"/\1/p' pyproject.toml)"
for place in "src/olive_crate/__init__.py:__version__ = \"$version\"" "CITATION.cff:version: $version" \
    "CHANGELOG.md:## $version"; do
    grep -q "^${place#*:}" "${place%%:*}" || {
        echo "${place%%:*} does not say $version" >&2
        exit 1
    }
done
[ "${1:-}" = "--check" ] && exit 0

work="$(mktemp -d)"
trap 'rm -rf "$work"' EXIT
rm -rf dist
mkdir dist
git archive HEAD --prefix=tree/ | tar -x -C "$work"
.venv/bin/python -m pip install --quiet --disable-pip-version-check build
.venv/bin/python -m build --sdist --outdir dist "$work/tree" > /dev/null
for compiler in gcc:g++ clang:clang++; do
    command -v "${compiler#*:}" > /dev/null || continue
    out="$work/${compiler%:*}"
    CC="${compiler%:*}" CXX="${compiler#*:}" .venv/bin/python -m pip wheel --quiet \
        --disable-pip-version-check --no-deps -w "$out" dist/*.tar.gz
    echo "compiled with ${compiler%:*}: $(basename "$out"/*.whl)"
    [ -e dist/*-abi3-*.whl ] 2> /dev/null || cp "$out"/*.whl dist/
done
CC=false CXX=false .venv/bin/python -m pip wheel --quiet --disable-pip-version-check --no-deps \
    -w dist dist/*.tar.gz

for minor in 11 12 13 14; do
    python="$(command -v "python3.$minor" || true)"
    if [ -z "$python" ]; then
        echo "Python 3.$minor: not on this machine, not tried"
        continue
    fi
    for wheel in "$work"/gcc/*.whl "$work"/clang/*.whl dist/*-none-any.whl; do
        [ -e "$wheel" ] || continue
        rm -rf "$work/venv" "$work/demo"
        "$python" -m venv "$work/venv"
        "$work/venv/bin/python" -m pip install --quiet --disable-pip-version-check "$wheel"
        "$work/venv/bin/olive-crate" demo "$work/demo" > /dev/null
        echo "Python 3.$minor: $("$work/venv/bin/olive-crate" --version), from $(basename "$(dirname "$wheel")")"
    done
done
ls dist
