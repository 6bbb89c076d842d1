# The winch's log for the notice board.
# Only what somebody who waits for a cabin wants to know.

/self test/d

# The time without its date and zone
s/^[0-9-]*T\([0-9:]*\)[^ ]*/\1/

# The name of the program helps nobody
s/ winchd\[[0-9]*\]:/ /

# An alarm stands out
/alarm/I{
s/^/!! /
s/alarm/ALARM/I
}

# The first line says what this is
1i\
Winch, today:
