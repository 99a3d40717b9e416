#!/bin/sh
KEEP_DAYS=14
find /var/lib/tide/archive -mtime +"$KEEP_DAYS" -delete
