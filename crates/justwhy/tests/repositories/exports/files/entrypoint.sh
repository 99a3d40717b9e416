#!/bin/sh
export LEVEL="${LEVEL:-info}"
export THREADS="${THREADS:-4}"
export BUILD="$(cat /etc/build)"
if [ -n "$DEBUG" ]; then
  export LEVEL=debug
fi
exec "$@"
