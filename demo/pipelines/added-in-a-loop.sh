#!/bin/sh
# Glued counts added up line by line: a loop hands each sum to bc
paste -d+ count-lower.txt count-middle.txt count-upper.txt | while read -r sum; do
  echo "$sum" | bc
done
