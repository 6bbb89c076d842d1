#!/bin/sh
# Spares that the upper station lists more than once
sort spares-upper.txt | uniq -d
