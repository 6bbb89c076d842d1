#!/bin/sh
# Spares that the upper station lists only once
sort spares-upper.txt | uniq -u
