#!/bin/sh
# A slip to look at: without sort before it, uniq finds few repeats
grep refused gate.log | cut -d' ' -f3 | uniq -c | sort -rn | head -n 5
