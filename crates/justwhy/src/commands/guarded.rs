//! Variables that a repository must not set for a program: what they hold decides which programs and
//! libraries run, or what the program does before it reads any setting.

use crate::running::Answering;

/// Names that shells, loaders and interpreters act upon.
const NAMES: [&str; 62] = [
    "BASHOPTS",
    "BASH_ENV",
    "BROWSER",
    "CDPATH",
    "CLASSPATH",
    "COMSPEC",
    "CORECLR_ENABLE_PROFILING",
    "CORECLR_PROFILER",
    "CORECLR_PROFILER_PATH",
    "COR_ENABLE_PROFILING",
    "COR_PROFILER",
    "COR_PROFILER_PATH",
    "DOTNET_STARTUP_HOOKS",
    "EDITOR",
    "ENV",
    "FPATH",
    "GCONV_PATH",
    "GLIBC_TUNABLES",
    "GLOBIGNORE",
    "GTK_MODULES",
    "HOME",
    "HOSTALIASES",
    "IFS",
    "JAVA_TOOL_OPTIONS",
    "JDK_JAVA_OPTIONS",
    "LESSCLOSE",
    "LESSOPEN",
    "LOCPATH",
    "LUA_CPATH",
    "LUA_INIT",
    "LUA_PATH",
    "MANPAGER",
    "NLSPATH",
    "NODE_OPTIONS",
    "NODE_PATH",
    "NODE_REPL_EXTERNAL_MODULE",
    "OPENSSL_CONF",
    "OPENSSL_ENGINES",
    "OPENSSL_MODULES",
    "PAGER",
    "PATH",
    "PATHEXT",
    "PERL5DB",
    "PERL5LIB",
    "PERL5OPT",
    "PERLLIB",
    "PHP_INI_SCAN_DIR",
    "PHPRC",
    "PROMPT_COMMAND",
    "PS4",
    "QT_PLUGIN_PATH",
    "RUBYLIB",
    "RUBYOPT",
    "SHELL",
    "SHELLOPTS",
    "SSH_ASKPASS",
    "SUDO_ASKPASS",
    "TERMCAP",
    "TERMINFO",
    "VISUAL",
    "ZDOTDIR",
    "_JAVA_OPTIONS",
];
/// Beginnings of such names.
const PREFIXES: [&str; 8] =
    ["BASH_FUNC_", "DYLD_", "GIT_", "LD_", "MALLOC_", "PYTHON", "XDG_CONFIG_", "XDG_DATA_"];
/// The beginning of our own: what decides for the user never comes out of a repository.
const OWN: &str = "JUSTWHY_";

/// Whether a variable decides which programs run or how.
pub(super) fn is_guarded(name: &str) -> bool {
    // Where names have no case, `Path` is `PATH`.
    let name = if cfg!(windows) { name.to_ascii_uppercase() } else { name.to_owned() };
    NAMES.contains(&name.as_str())
        || PREFIXES.iter().any(|prefix| name.starts_with(prefix))
        || name.starts_with(OWN)
}

/// Why a variable must not be handed over, as a clause; `is_declared` shows whether the catalogue names
/// it for the setting.
pub(super) fn why_not(answering: &Answering<'_>, name: &str, is_declared: bool) -> Option<String> {
    if !is_guarded(name) {
        return None;
    }
    if name.to_ascii_uppercase().starts_with(OWN) {
        return Some(format!("its variable would be {name}, which is never passed to a program"));
    }
    let consent = answering.snapshot.world().consent(&answering.snapshot.project().repository);
    let allows =
        consent.user().is_some_and(|user| user.hand_over.iter().any(|allowed| allowed == name));
    if is_declared && allows {
        return None;
    }
    let mut how = Vec::new();
    if !is_declared {
        how.push(format!("declare variable = \"{name}\" in the catalogue"));
    }
    if !allows {
        let file = justwhy_system::Place::of_process().file();
        how.push(format!("add to {file}: hand_over = [\"{name}\"]"));
    }
    Some(format!(
        "its variable would be {name}, which changes which programs run, or how; to allow it, {}",
        how.join(" and ")
    ))
}
