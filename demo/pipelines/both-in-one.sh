#!/bin/sh
# Results and errors into the same file: first the file, then the copy of descriptor 1
grep -c refused gate.log north-gate.log > both.txt 2>&1
