#!/bin/sh
# The gates that refuse most cards
grep refused gate.log | cut -d' ' -f3 | sort | uniq -c | sort -rn | head -n 5 > worst-gates.txt
