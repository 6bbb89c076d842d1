#!/bin/sh
# Cabins by load, heaviest first, without the heading
tail -n +2 cabins.csv | sort -t, -k4,4nr | cut -d, -f1,2,4 | head -n 4
