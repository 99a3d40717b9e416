use std::env;

fn main() {
    let mode = env::var("RUN_MODE").unwrap_or_else(|_| "development".into());
    let layers = [
        "config/default.toml".to_owned(),
        format!("config/{mode}.toml"),
        "config/local.toml".to_owned(),
    ];
    let threads = env::var("WORKERS").unwrap_or("2".to_owned());
    run(&layers, "COLLECTOR__", &threads);
}
