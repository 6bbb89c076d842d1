#!/bin/sh
# The counts of three places side by side, ready to add up
paste -d+ count-lower.txt count-middle.txt count-upper.txt
