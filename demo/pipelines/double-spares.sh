#!/bin/sh
# Spares that the upper station lists more than once, in any spelling of case
sort -f spares-upper.txt | uniq -di
