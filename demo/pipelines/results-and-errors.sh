#!/bin/sh
# Results into one file, errors into another
grep -c refused gate.log north-gate.log > refusals.txt 2> missing.txt
