#!/bin/sh
# The wrong order: errors still go to where descriptor 1 went before (the Wiring shows it)
grep -c refused gate.log north-gate.log 2>&1 > only-results.txt
