#!/bin/sh
# One grain of sand on the first of the 64 stairs to Kestrel Tarn, twice as many on each next one:
# how many lie on all of them?
echo 'grains = 2^64 - 1; print "grains: ", grains, "\n"' | bc
