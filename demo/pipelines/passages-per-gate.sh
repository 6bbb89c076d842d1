#!/bin/sh
# How many passed at each gate
grep passed gate.log | cut -d' ' -f3 | sort | uniq -c
