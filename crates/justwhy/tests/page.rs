//! The page of `grid` in a real browser, without a window: keyboard, filters, the panel, narrow windows, print.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]
#![cfg(target_os = "linux")]

mod common;

use common::Place;
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

/// The browser, which scripts/test installs.
fn browser() -> PathBuf {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let found = std::env::split_paths(&path)
        .flat_map(|folder| ["chromium", "chromium-browser"].map(|name| folder.join(name)))
        .find(|file| file.is_file());
    assert!(found.is_some(), "the browser chromium is missing: run scripts/test, or install it");
    found.unwrap()
}

/// What a script on the page comes to: `out` is an object that it fills.
fn in_browser(page: &str, hash: &str, size: (usize, usize), script: &str) -> Value {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("page.html");
    // `tick` waits until the page has drawn.
    let test = format!(
        "<script>addEventListener('load', async () => {{ const out = {{}}; \
         const tick = () => new Promise(done => setTimeout(done, 30)); \
         const press = key => document.activeElement.dispatchEvent(new KeyboardEvent('keydown', {{ key, bubbles: true, cancelable: true }})); \
         const all = what => [...document.querySelectorAll(what)]; \
         try {{ await tick(); {script} }} catch (error) {{ out.error = String(error); }} \
         const told = document.createElement('pre'); told.id = 'told'; told.textContent = JSON.stringify(out); document.body.append(told); }});</script>"
    );
    std::fs::write(&file, page.replace("</body>", &format!("{test}</body>"))).unwrap();
    let url = format!("file://{}{hash}", file.display());
    let dump = run(folder.path(), size, &["--dump-dom", &url]);
    let told = dump.split("<pre id=\"told\">").nth(1).and_then(|rest| rest.split("</pre>").next());
    let told = told.unwrap_or_else(|| panic!("the script did not end: {dump}"));
    let told = told.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&");
    let out: Value = serde_json::from_str(&told).unwrap();
    assert_eq!(out["error"], Value::Null, "{out}");
    out
}

fn run(folder: &Path, (width, height): (usize, usize), arguments: &[&str]) -> String {
    let mut command = Command::new(browser());
    command.args([
        "--headless",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--virtual-time-budget=20000",
    ]);
    command.arg(format!("--user-data-dir={}", folder.join("profile").display()));
    command.arg(format!("--window-size={width},{height}")).args(arguments);
    let output = command.stdin(Stdio::null()).stderr(Stdio::null()).output().unwrap();
    String::from_utf8_lossy(&output.stdout).into_owned()
}

fn page() -> String {
    Place::demo().run(&["grid", "--across", "environment,region", "--output", "html"]).stdout
}

#[test]
fn the_keyboard_reaches_every_cell_and_the_panel() {
    let out = in_browser(
        &page(),
        "",
        (1280, 800),
        "const first = document.querySelector(\"td[tabindex='0']\"); first.focus();
         out.grid = document.querySelector('table').getAttribute('role');
         out.scopes = [all('thead th[scope=col]').length, all('tbody th[scope=row]').length > 5];
         out.first = document.activeElement.dataset.at;
         press('ArrowDown'); press('ArrowDown'); press('ArrowRight'); await tick();
         out.moved = document.activeElement.dataset.at;
         out.shut = document.getElementById('panel').hidden;
         press('Enter'); await tick();
         out.open = !document.getElementById('panel').hidden;
         out.title = document.querySelector('#panel h2').textContent;
         out.selected = document.querySelector('td[aria-selected]').dataset.at;
         press('ArrowDown'); await tick();
         out.follows = document.querySelector('#panel h2').textContent;
         press('End'); await tick();
         const cell = document.querySelector('td[aria-selected]').getBoundingClientRect();
         const box = document.getElementById('scroll').getBoundingClientRect();
         out.inside = cell.left >= box.left && cell.right <= box.right + 1 && cell.bottom <= box.bottom + 1;
         out.hash = decodeURIComponent(location.hash);
         press('Escape'); await tick();
         out.closed = document.getElementById('panel').hidden;
         out.back = document.activeElement.tagName;",
    );
    assert_eq!(out["grid"], "grid");
    assert_eq!(out["scopes"][1], true, "{out}");
    assert_eq!((&out["first"], &out["moved"]), (&"0,0".into(), &"2,1".into()), "{out}");
    assert_eq!(
        (&out["shut"], &out["open"], &out["closed"]),
        (&true.into(), &true.into(), &true.into())
    );
    assert_eq!(out["selected"], "2,1");
    assert!(out["title"].as_str().unwrap().starts_with("alert.recipients = "), "{out}");
    assert!(out["follows"].as_str().unwrap().starts_with("alert.threshold_cm = "), "{out}");
    assert_eq!(out["inside"], true, "the selected cell is in view: {out}");
    assert!(
        out["hash"].as_str().unwrap().contains("cell=alert.threshold_cm@environment="),
        "{out}"
    );
    assert_eq!(out["back"], "TD", "the focus goes back to the table");
}

#[test]
fn filters_are_joined_and_the_state_is_in_the_address() {
    let out = in_browser(
        &page(),
        "#settings=alert+by-region&contexts=production+north",
        (1280, 800),
        "out.count = document.getElementById('count').textContent;
         out.live = document.getElementById('count').getAttribute('aria-live');
         out.keys = all('tbody th').map(it => it.textContent);
         out.columns = all('thead th[aria-colindex]').map(it => it.title);
         const field = document.getElementById('filter'); field.value = 'threshold'; field.oninput(); await tick();
         out.after = all('tbody th').map(it => it.textContent);
         out.hash = location.hash;
         document.querySelector(\"td[tabindex='0']\").click(); await tick();
         out.change = document.querySelector('#panel code:last-of-type').textContent;
         out.command = all('#panel p code').map(it => it.textContent).join();
         out.folded = document.querySelector('#panel summary').textContent;
         out.label = document.querySelector('#panel .place').textContent;",
    );
    assert_eq!(out["live"], "polite");
    assert!(out["count"].as_str().unwrap().contains("1 of 6 contexts"), "{out}");
    assert_eq!(out["columns"][0], "environment=production,region=north");
    let keys: Vec<&str> =
        out["keys"].as_array().unwrap().iter().filter_map(Value::as_str).collect();
    assert!(
        keys.contains(&"alert.contact") && keys.iter().all(|key| key.starts_with("alert.")),
        "{out}"
    );
    assert!(
        out["after"]
            .as_array()
            .unwrap()
            .iter()
            .all(|key| key.as_str().unwrap().contains("threshold")),
        "{out}"
    );
    assert!(out["hash"].as_str().unwrap().contains("settings=threshold"), "{out}");
    assert!(
        out["command"].as_str().unwrap().starts_with("justwhy put alert.threshold_cm VALUE"),
        "{out}"
    );
    assert!(out["folded"].as_str().unwrap().ends_with("other layers do not set it"), "{out}");
    assert_eq!(out["label"], "in environment=production,region=north");
}

#[test]
fn a_narrow_window_has_two_columns_and_paper_has_every_setting() {
    let out = in_browser(
        &page(),
        "",
        (420, 800),
        "const box = document.getElementById('scroll').getBoundingClientRect();
         out.columns = all('thead th[aria-colindex]').filter(it => it.getBoundingClientRect().right <= box.right + 2).length;
         dispatchEvent(new Event('beforeprint'));
         out.settings = all('#print h2').length;
         out.values = all('#print p').map(it => it.textContent).filter(it => it.includes('140'));",
    );
    assert!(out["columns"].as_u64().unwrap() >= 2, "{out}");
    assert!(out["settings"].as_u64().unwrap() > 15, "{out}");
    assert_eq!(out["values"], serde_json::json!(["140 (by-region) in region=north"]));
}

#[test]
fn draws_only_what_is_visible() {
    let mut project = "justwhy = 1\n[[axis]]\nname = \"n\"\nallowed = [".to_owned();
    (0..60).for_each(|n| project.push_str(&format!("\"v{n}\",")));
    project.push_str("]\n[[layer]]\nname = \"a\"\nfile = \"a.toml\"\n[[layer]]\nname = \"b\"\nfile = \"{n}.toml\"\n");
    let settings: String = (0..400).map(|at| format!("k{at} = {at}\n")).collect();
    let place = Place::new(&[("justwhy.toml", &project), ("a.toml", &settings)]);
    (0..60).for_each(|n| {
        let text: String = (0..400).map(|at| format!("k{at} = {}\n", at + n)).collect();
        place.file(&format!("v{n}.toml"), text.as_bytes());
    });
    let page = place.run(&["grid", "--output", "html"]).stdout;
    let out = in_browser(
        &page,
        "",
        (1280, 800),
        "out.cells = all('td[data-at]').length;
         const scroll = document.getElementById('scroll');
         scroll.scrollTop = 1e9; scroll.scrollLeft = 1e9; scroll.onscroll(); await tick();
         out.after = all('td[data-at]').length;
         out.last = all('td[data-at]').pop().dataset.at;
         const field = document.getElementById('filter'), began = performance.now();
         field.value = 'k39'; field.oninput();
         out.rows = all('tbody th').length;",
    );
    assert!(out["cells"].as_u64().unwrap() < 400, "{out}");
    assert!(out["after"].as_u64().unwrap() < 400, "{out}");
    assert_eq!(out["last"], "399,59");
    assert_eq!(out["rows"], 11);
}

/// The relative luminance of `#rrggbb`.
fn luminance(colour: &str) -> f64 {
    let part = |at: usize| {
        let value = f64::from(u8::from_str_radix(&colour[at..at + 2], 16).unwrap()) / 255.0;
        if value <= 0.03928 { value / 12.92 } else { ((value + 0.055) / 1.055).powf(2.4) }
    };
    0.2126 * part(1) + 0.7152 * part(3) + 0.0722 * part(5)
}

#[test]
fn every_colour_is_readable_in_both_schemes() {
    let page = page();
    let schemes: Vec<&str> = page.split("--back: ").skip(1).take(2).collect();
    assert_eq!(schemes.len(), 2);
    for scheme in schemes {
        let scheme = format!("--back: {scheme}");
        let colour = |name: &str| {
            let rest = scheme.split(&format!("--{name}: ")).nth(1).unwrap();
            luminance(rest.split(';').next().unwrap())
        };
        for back in ["back", "head", "chosen"] {
            for fore in ["fore", "faint", "value", "layer", "wrong"] {
                let (one, other) = (colour(back) + 0.05, colour(fore) + 0.05);
                let contrast = one.max(other) / one.min(other);
                assert!(contrast >= 4.5, "{fore} on {back}: {contrast:.2}");
            }
        }
    }
}
