#!/usr/bin/env bash
# Makes what the browser is sent from npm packages and app.css; the results are committed.
set -euo pipefail
cd "$(dirname "$0")"
static=../src/zeroknot/web/static
npm install --silent --no-audit --no-fund --no-save
mkdir -p "$static"/{vendor,fonts,css}
cp node_modules/@alpinejs/csp/dist/module.esm.min.js "$static/vendor/alpine-csp.js"
cp node_modules/@fontsource-variable/spline-sans/files/spline-sans-latin-wght-normal.woff2 "$static/fonts/spline-sans.woff2"
cp node_modules/@fontsource-variable/spline-sans-mono/files/spline-sans-mono-latin-wght-normal.woff2 "$static/fonts/spline-sans-mono.woff2"
cp node_modules/@fontsource-variable/spline-sans/LICENSE "$static/fonts/LICENSE-spline-sans.txt"
cp node_modules/@fontsource-variable/spline-sans-mono/LICENSE "$static/fonts/LICENSE-spline-sans-mono.txt"
npx tailwindcss -i app.css -o "$static/css/app.css" --minify
python3 inputs_hash.py > inputs.sha256
