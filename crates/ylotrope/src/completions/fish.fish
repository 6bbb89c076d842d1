# What only the program knows: filters, their options, kept runs, saved pipelines.
function __ylotrope_words_are
    test (count (commandline -opc)) -eq $argv[1]
end
complete -c ylotrope -n '__fish_seen_subcommand_from use guide man; and __ylotrope_words_are 2' -f -a '(ylotrope candidates use)'
complete -c ylotrope -n '__fish_seen_subcommand_from use; and not __ylotrope_words_are 2; and string match -q -- "-*" (commandline -ct)' -f -a '(ylotrope candidates use (commandline -opc)[3])'
complete -c ylotrope -n '__fish_seen_subcommand_from show compare remove' -f -a '(ylotrope candidates runs)'
complete -c ylotrope -n '__fish_seen_subcommand_from run; and __ylotrope_words_are 2' -a '(ylotrope candidates scripts)'
