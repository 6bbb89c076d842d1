# Ylotrope at the prompt of fish: Alt-i takes the line into the Bench and brings it back edited.
# Nothing is run. Another key: bind \cxi __ylotrope_line
function __ylotrope_line
    set -l line (commandline | string collect)
    # One text, with its newlines; the x keeps those at its end.
    set -l text (begin; PROGRAM --print --line="$line" < /dev/tty; and printf x; end | string collect)
    if string match -qr 'x$' -- $text
        commandline -r -- (string replace -r 'x$' '' -- $text | string collect)
    end
    commandline -f repaint
end
bind \ei __ylotrope_line
