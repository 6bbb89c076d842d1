#!/bin/sh
# The reason for refusal that is seen least often
grep -o 'reason="[^"]*"' gate.log | sort | uniq -c | sort -n | head -n 1
