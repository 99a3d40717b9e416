//! Variables of the system: what a shell, a login or the loader of programs means by them is never a
//! setting, unless the catalogue asks for it.

/// Names that every process may have for reasons of the system.
const NAMES: [&str; 58] = [
    "APPDATA",
    "COLORTERM",
    "COLUMNS",
    "COMPUTERNAME",
    "COMSPEC",
    "DBUS_SESSION_BUS_ADDRESS",
    "DISPLAY",
    "EDITOR",
    "EUID",
    "GPG_AGENT_INFO",
    "GPG_TTY",
    "HISTFILE",
    "HOME",
    "HOMEDRIVE",
    "HOMEPATH",
    "HOSTNAME",
    "HOSTTYPE",
    "IFS",
    "INFOPATH",
    "LANG",
    "LANGUAGE",
    "LESS",
    "LINES",
    "LOCALAPPDATA",
    "LOGNAME",
    "LS_COLORS",
    "MACHTYPE",
    "MAIL",
    "MANPATH",
    "NO_COLOR",
    "OLDPWD",
    "OS",
    "OSTYPE",
    "PAGER",
    "PATH",
    "PATHEXT",
    "PPID",
    "PROGRAMDATA",
    "PROGRAMFILES",
    "PS1",
    "PS2",
    "PS4",
    "PWD",
    "SHELL",
    "SHLVL",
    "SYSTEMDRIVE",
    "SYSTEMROOT",
    "TEMP",
    "TERM",
    "TERMINFO",
    "TMP",
    "TMPDIR",
    "TZ",
    "UID",
    "USER",
    "USERNAME",
    "USERPROFILE",
    "VISUAL",
];
const MORE_NAMES: [&str; 3] = ["WAYLAND_DISPLAY", "WINDIR", "_"];
/// Beginnings of such names.
const PREFIXES: [&str; 4] = ["LC_", "SSH_", "TERM_", "XDG_"];

/// Whether the system, a shell or a login gives the variable of that name its meaning.
pub fn is_system_variable(name: &str) -> bool {
    NAMES.binary_search(&name).is_ok()
        || MORE_NAMES.contains(&name)
        || PREFIXES.iter().any(|prefix| name.starts_with(prefix))
}
