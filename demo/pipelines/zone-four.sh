#!/bin/sh
# Refusals in zone four: two columns that must be equal to something
awk '$5 == "refused" && $6 == "zone=4"' gate.log
