#!/bin/sh
# >> adds to a file, > begins it anew: 2 lines, then 1
echo 'first shift' > shifts.txt
echo 'second shift' >> shifts.txt
wc -l < shifts.txt
echo 'third shift' > shifts.txt
wc -l < shifts.txt
