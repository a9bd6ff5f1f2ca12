#!/bin/sh
# Fails where the table has errors or warnings. Run it before each commit, and in every build.
set -e
cd "$(dirname "$0")"
vivid-lane check --strict

# Addresses that must never break, each on a line.
vivid-lane match - <<'URLS'
/
/nights
/nights/2031-04-02
/archive/2031-04-02
URLS
