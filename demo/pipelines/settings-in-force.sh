#!/bin/sh
# The settings of the station, without comments and empty lines
grep -v '^[[:space:]]*#' station.conf | grep .
