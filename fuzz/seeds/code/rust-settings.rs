//! Reads `std::env::var("TIDE_IN_DOC")`.
use std::env;

const BUILD: &str = option_env!("TIDE_BUILD").unwrap_or("dev");
const COMMIT: &str = env!("TIDE_COMMIT");

#[derive(Parser)]
struct Arguments {
    #[arg(long, env = "TIDE_POOL", default_value_t = 10)]
    pool: u32,
    #[arg(long, default_value = "readings", env = "TIDE_QUEUE")]
    queue: String,
    #[arg(long, env = "TIDE_DESK")]
    desk: String,
}

fn load() -> Result<Settings, Error> {
    let level = env::var("TIDE_LEVEL").unwrap_or("info".to_string());
    let port: u16 = std::env::var("TIDE_PORT").ok().and_then(|it| it.parse().ok()).unwrap_or(8080);
    let url = env::var("TIDE_URL")?;
    let host = env::var("TIDE_HOST").unwrap_or_else(|_| "localhost".into());
    let token = env::var("TIDE_TOKEN").expect("TIDE_TOKEN is not set");
    let stage = env::var("TIDE_STAGE").unwrap_or_default();
    let region = match env::var("TIDE_REGION") {
        Ok(region) => region,
        Err(_) => "north".to_owned(),
    };
    if let Ok(trace) = env::var("TIDE_TRACE") {
        start(trace);
    }
    let debug = env::var("TIDE_DEBUG").is_ok();
    let feed = env::var("TIDE_FEED").as_deref().unwrap_or("https://feed.tide.example");
    let node = env::var("TIDE_NODE").unwrap_or_else(|_| host_name());
    let key = env::var("TIDE_KEY").context("TIDE_KEY is not set")?;
    let window = env::var("TIDE_WINDOW").map(|it| it.parse::<u64>().unwrap_or(1)).unwrap_or(15 * 60);
    // env::var("TIDE_COMMENTED").unwrap_or("x")
    let zone = env::var("TIDE_ZONE").unwrap_or_else(|_| panic!("TIDE_ZONE is not set"));
    let text = "env::var(\"TIDE_IN_STRING\")";
    let raw = r#"env::var("TIDE_IN_RAW")"#;
    let c = '"';
    let team = env::var_os("TIDE_TEAM");
    let limit = env::var("TIDE_LIMIT")
        .ok()
        .map(|it| it.to_lowercase())
        .unwrap_or_else(|| String::from("40"));
    Ok(Settings::of(level))
}
