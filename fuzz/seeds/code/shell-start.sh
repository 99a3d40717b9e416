#!/bin/sh
# ${TIDE_COMMENTED:-x}
set -eu
LOCAL_NAME=tide
port="${TIDE_PORT:-8080}"
: "${TIDE_LEVEL:=info}"
: "${TIDE_URL:?TIDE_URL is not set}"
host=${TIDE_HOST-localhost}
node=${TIDE_NODE:-$(hostname)}
team=${TIDE_TEAM:-"shore watch"}
export TIDE_ZONE=${TIDE_ZONE:-utc}
if [ -n "${TIDE_DEBUG:-}" ]; then set -x; fi
if [ "$TIDE_MODE" = fast ]; then port=1; fi
echo "$LOCAL_NAME" '${TIDE_IN_QUOTES:-x}'
curl "$TIDE_FEED/levels"
flag=${TIDE_TRACE:+--trace}
for region in north south; do echo "$region"; done
cat <<EOF
listen ${TIDE_LISTEN:-0.0.0.0}:${port}
don't stop here
EOF
key=$(printenv TIDE_KEY)
data=${TIDE_DATA:-${HOME}/data}
echo "${#TIDE_LENGTH}"
