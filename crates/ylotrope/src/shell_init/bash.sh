# Ylotrope at the prompt of bash: Alt-i takes the line into the Bench and brings it back edited.
# Nothing is run. Another key: bind -x '"\C-xi": __ylotrope_line'
__ylotrope_line() {
    local __ylotrope_text
    # The x keeps newlines at the end, which $( ) would take away.
    __ylotrope_text=$(PROGRAM --print --line="$READLINE_LINE" < /dev/tty && printf x) || return
    READLINE_LINE=${__ylotrope_text%x}
    READLINE_POINT=${#READLINE_LINE}
}
bind -x '"\ei": __ylotrope_line'
