#!/bin/sh
# What the stations have between them, each thing once
ylotrope use venn union spares-upper.txt spares-lower.txt
