#!/bin/sh
# Why cards were refused, most frequent reason first
grep -Eo 'reason="[a-z ]+"' gate.log |
cut -d'"' -f2 |
sort | uniq -c | sort -rn
