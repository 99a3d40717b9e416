#!/bin/sh
set -eu
set -a
. ./defaults.env
. "./env/${TIDE_ENV:-dev}.env"
[ -f ./local.env ] && . ./local.env
LOG_LEVEL="${LOG_LEVEL:-info}"
RUN_BY=start
set +a
exec ./collector
