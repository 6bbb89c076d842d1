#!/bin/bash
# A here-string: how many words a line has (<<< is not in every sh)
wc -w <<< "the winch stops when the upper cabin is in the station"
