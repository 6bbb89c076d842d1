#!/bin/sh
# What both stations have
ylotrope use venn intersection spares-upper.txt spares-lower.txt
