#!/bin/sh
# The three gates passed least often
cut -d' ' -f3 gate.log | grep gate | sort | uniq -c | sort -n | head -n 3
