#!/bin/sh
# The last column of every refusal, however many columns there are
awk '/refused/ { print $NF }' gate.log | sort | uniq -c
