#!/bin/sh
# Each record of several lines as one line
grep . wardens.txt | paste -d';' - - -
