#!/bin/sh
set -a
. deploy/defaults.env
. "deploy/${STAGE:-dev}.env"
exec collector
