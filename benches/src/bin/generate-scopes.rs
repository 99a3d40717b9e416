//! Writes a store of many scopes, and a project for each place where it can be kept:
//! `generate-scopes FOLDER SERVICE-ADDRESS ETCD-ADDRESS`.

use std::path::PathBuf;

fn main() -> std::io::Result<()> {
    let mut arguments = std::env::args().skip(1);
    let mut next = |usual: &str| arguments.next().unwrap_or_else(|| usual.to_owned());
    let folder = PathBuf::from(next("scopes"));
    let (service, etcd) = (next("http://127.0.0.1:8742"), next("http://127.0.0.1:8743"));
    justwhy_benches::write_scopes(&folder, &service, &etcd)
}
