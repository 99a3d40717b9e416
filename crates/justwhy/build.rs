//! How the program is linked.

fn main() {
    println!("cargo::rerun-if-env-changed=JUSTWHY_PIE");
    let is = |name: &str, value: &str| std::env::var(name).is_ok_and(|given| given == value);
    // A program that may lie anywhere in memory is put together anew at each start: tens of thousands
    // of addresses, which take as long as all else that a short answer needs. `JUSTWHY_PIE=1` keeps it
    // so, for whoever prefers addresses that nobody can guess.
    let is_movable = std::env::var_os("JUSTWHY_PIE").is_some();
    if is("PROFILE", "release")
        && is("CARGO_CFG_TARGET_OS", "linux")
        && is("CARGO_CFG_TARGET_ENV", "gnu")
        && !is_movable
    {
        println!("cargo::rustc-link-arg-bins=-no-pie");
    }
}
