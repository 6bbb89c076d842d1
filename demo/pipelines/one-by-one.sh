#!/bin/sh
# Each item to a command of its own; one has a blank in its name
printf '%s\n' 'cabin 1' cabin-2 cabin-3 | xargs -d '\n' -n 1 echo inspect
