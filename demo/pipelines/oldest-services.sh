#!/bin/sh
# The three cabins whose last service is longest ago
tail -n +2 cabins.csv | sort -t, -k5,5 | head -n 3
