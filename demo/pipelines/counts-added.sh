#!/bin/sh
# The counts of three places side by side, added up line by line
paste -d+ count-lower.txt count-middle.txt count-upper.txt | bc
