#!/bin/sh
# What only the upper station has
ylotrope use venn difference spares-upper.txt spares-lower.txt
