# Reads settings from a file into the environment; nothing in the file is run.

# Lines are NAME=value (a value may stand in double quotes), empty, or begin with #. What the environment says already
# stays.
read_settings() {
    [ -n "${1:-}" ] || return 0
    if [ ! -r "$1" ]; then
        printf 'The settings file %s cannot be read; check its path.\n' "$1" >&2
        exit 2
    fi
    local line name value number=0
    while IFS= read -r line || [ -n "$line" ]; do
        number=$((number + 1))
        line=${line#"${line%%[![:space:]]*}"}
        case "$line" in ""|"#"*) continue ;; esac
        name=${line%%=*} value=${line#*=}
        if [ "$name" = "$line" ] || ! [[ $name =~ ^MEZZAVOCE_[A-Z_]+$ ]]; then
            printf 'Line %s of %s is no setting; write NAME=value, with a name that begins with MEZZAVOCE_.\n' \
                "$number" "$1" >&2
            exit 2
        fi
        value=${value%$'\r'}
        if [[ $value == \"*\" && ${#value} -ge 2 ]]; then value=${value:1:-1}; fi
        [ -n "${!name+set}" ] || export "$name=$value"
    done <"$1"
}
