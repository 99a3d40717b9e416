//! How the program is linked.

use std::path::{Path, PathBuf};
use std::process::Command;

fn main() {
    println!("cargo::rerun-if-env-changed=JUSTWHY_PIE");
    println!("cargo::rerun-if-changed=build.rs");
    let is = |name: &str, value: &str| std::env::var(name).is_ok_and(|given| given == value);
    if !is("PROFILE", "release")
        || !is("CARGO_CFG_TARGET_OS", "linux")
        || !is("CARGO_CFG_TARGET_ENV", "gnu")
    {
        return;
    }
    // A program that may lie anywhere in memory is put together anew at each start: tens of thousands
    // of addresses, which take as long as all else that a short answer needs. `JUSTWHY_PIE=1` keeps it
    // so, for whoever prefers addresses that nobody can guess.
    if std::env::var_os("JUSTWHY_PIE").is_none() {
        println!("cargo::rustc-link-arg-bins=-no-pie");
    }
    // Finding and loading a library that is there for panics alone takes a tenth of a short answer.
    if std::env::var_os("HOST") == std::env::var_os("TARGET")
        && has_unwinder()
        && let Some(folder) = std::env::var_os("OUT_DIR").map(PathBuf::from)
    {
        // Who asks for the shared one, as Rust's library does, gets the other.
        let script = "/* The unwinder, in the program itself. */\nINPUT(-lgcc_eh)\n";
        if std::fs::write(folder.join("libgcc_s.so"), script).is_ok() {
            println!("cargo::rustc-link-search=native={}", folder.display());
        }
    }
}

/// Whether the compiler that links has the unwinder as a library that can be linked in.
fn has_unwinder() -> bool {
    let asked = Command::new("cc").arg("-print-file-name=libgcc_eh.a").output();
    asked.is_ok_and(|output| {
        // A name without a folder is what is said of a file that is not there.
        let path = String::from_utf8_lossy(&output.stdout).trim().to_owned();
        Path::new(&path).is_absolute() && Path::new(&path).exists()
    })
}
