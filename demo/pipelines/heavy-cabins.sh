#!/bin/sh
# Cabins that weigh more than two tonnes laden, by the fourth column
awk -F, 'NR > 1 && $4 > 2000 { print $2 ": " $4 " kg" }' cabins.csv
