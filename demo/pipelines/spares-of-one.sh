#!/bin/sh
# What only one of the stations has
ylotrope use venn symmetric-difference spares-upper.txt spares-lower.txt
