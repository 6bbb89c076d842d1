#!/bin/sh
# One value out of the winch's status: how fast the rope runs
awk -F= '$1 == "rope_speed" { print $2 }' winch.status
