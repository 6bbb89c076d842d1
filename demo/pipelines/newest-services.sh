#!/bin/sh
# The three cabins serviced last
tail -n +2 cabins.csv | sort -t, -k5,5r | head -n 3
