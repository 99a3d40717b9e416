//! What a store answers: the first line says which kind of store it is and whether the rest is a whole
//! answer or its body. Nothing of an answer is in what is told of it, and copies that are kept are read as
//! they were written.
#![no_main]

use justwhy_project::{Asked, Project, Question, Store, StoreProblem, Stores as _};
use justwhy_system::{Place, System};
use justwhy_stores::{Client, Options};
use std::io::{Read as _, Write as _};
use std::net::TcpListener;
use std::path::PathBuf;
use std::sync::{Mutex, OnceLock};

/// In the answers of the seeds.
const SECRET: &str = "high-water-9";

struct Setting {
    stores: Vec<Store>,
    place: Place,
    folder: PathBuf,
}

static ANSWER: Mutex<Vec<u8>> = Mutex::new(Vec::new());

/// A server that says whatever `ANSWER` holds, and a project with one store of each kind there.
fn setting() -> &'static Setting {
    static SETTING: OnceLock<Setting> = OnceLock::new();
    SETTING.get_or_init(|| {
        let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
        let port = listener.local_addr().expect("a port").port();
        std::thread::spawn(move || {
            for connection in listener.incoming().flatten() {
                let mut connection = connection;
                let mut asked = [0; 4096];
                let _ = connection.read(&mut asked);
                let answer = ANSWER.lock().map(|it| it.clone()).unwrap_or_default();
                let _ = connection.write_all(&answer);
            }
        });
        let home = tempfile::tempdir().expect("a folder").keep();
        let folder = home.join("project");
        std::fs::create_dir(&folder).expect("a folder");
        let stores = format!(
            "justwhy = 1\n[store.hq]\nurl = \"http://127.0.0.1:{port}\"\n\
             [store.etcd]\netcd = [\"http://127.0.0.1:{port}\"]\nroot = \"/tides\"\n"
        );
        std::fs::write(folder.join("justwhy.toml"), stores).expect("a file");
        // So short that nothing is asked twice.
        let allowed = format!(
            "justwhy = 1\n[[allow]]\norigin = \"http://127.0.0.1:{port}\"\ntimeout = \"90ms\"\n"
        );
        let config = home.join("stores.toml");
        std::fs::write(&config, allowed).expect("a file");
        let project = Project::load(&System, Some(&folder)).expect("a project");
        let place =
            Place { allowed: Some(config), problem: None, copies: Some(home.join("copies")) };
        Setting { stores: project.stores.clone(), place, folder }
    })
}

libfuzzer_sys::fuzz_target!(
    init: {
        // As a program in Rust begins: the client may close what we write to.
        // SAFETY: nothing else sets what this signal does.
        unsafe { libc::signal(libc::SIGPIPE, libc::SIG_IGN) };
    },
    |bytes: &[u8]| look_at(bytes)
);

fn look_at(bytes: &[u8]) {
    let Some(end) = bytes.iter().position(|byte| *byte == b'\n') else { return };
    let (how, rest) = (&bytes[..end], &bytes[end + 1..]);
    let setting = setting();
    let number = usize::from(how.contains(&b'e'));
    let mut answer = Vec::new();
    if how.contains(&b'w') {
        answer.extend_from_slice(rest);
    } else {
        answer.extend_from_slice(
            format!(
                "HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nETag: \"7-x-abc\"\r\n\
                 Content-Length: {}\r\nConnection: close\r\n\r\n",
                rest.len()
            )
            .as_bytes(),
        );
        answer.extend_from_slice(rest);
    }
    *ANSWER.lock().expect("a lock") = answer;
    let Some(store) = setting.stores.get(number) else { return };
    let asked = match how.contains(&b'p') {
        true => Asked::Prefix("team/".to_owned()),
        false => Asked::One("team/shore".to_owned()),
    };
    let question =
        Question { asked: &asked, most: 1 << 20, is_secret: &|name| name == "API_TOKEN" };
    let ask = |offline: bool| {
        let client = Client::new(Options { offline, place: setting.place.clone() });
        client.on_behalf_of(&setting.folder);
        let answered = client.ask(store, &question);
        let log = client.log().concat();
        assert!(!log.contains(SECRET), "{log}");
        if let Err(StoreProblem::Failed { .. } | StoreProblem::Unavailable(_)) = &answered {
            let told = format!("{answered:?}");
            assert!(!told.contains(SECRET), "{told}");
        }
        answered
    };
    if let Ok(fresh) = ask(false) {
        let kept = ask(true).expect("the copy that was just made");
        assert_eq!(kept.scopes.len(), fresh.scopes.len());
        for (kept, fresh) in kept.scopes.iter().zip(&fresh.scopes) {
            assert_eq!((&kept.name, kept.variables.len()), (&fresh.name, fresh.variables.len()));
            for (kept, fresh) in kept.variables.iter().zip(&fresh.variables) {
                assert_eq!(kept.name, fresh.name);
                let is_secret = fresh.note.secret || &*fresh.name == "API_TOKEN";
                assert!(!is_secret || kept.value.is_none(), "a secret is kept");
                // What looks like one is left out too, and says so.
                let is_left_out = kept.value.is_none() && kept.note.unreadable.is_some();
                assert!(is_left_out || kept.value == fresh.value);
            }
        }
    }
}
