#!/bin/sh
# Passages at gates 1 to 9, told by a pattern on the column alone
awk '$3 ~ /^gate-0[1-9]$/ { n[$3]++ } END { for (gate in n) print n[gate], gate }' gate.log | sort -rn
