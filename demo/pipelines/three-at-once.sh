#!/bin/sh
# Three files at once, and on to the next stage
sort spares-lower.txt | tee list-a.txt list-b.txt list-c.txt | wc -l
