#!/bin/sh
# The cabins as a table, numbers to the right
column -t -s, -R 1,3,4 cabins.csv
