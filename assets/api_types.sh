#!/usr/bin/env bash
# Makes the scripts' types of intents and answers from the server's own description.
set -euo pipefail
cd "$(dirname "$0")"
../.venv/bin/python openapi.py | node_modules/.bin/openapi-typescript --root-types \
  --root-types-no-schema-prefix --alphabetize --default-non-nullable false --output api.d.ts >/dev/null
