#!/bin/sh
# Rows of the settings that are neither comment nor empty, numbered as they stand in the file
awk '!/^[ \t]*(#|$)/ { printf "%3d  %s\n", NR, $0 }' station.conf
