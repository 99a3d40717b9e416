//! Tests of where a question is asked, and of what is read there.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use crate::reader::Reader;
use crate::{Arguments, Ports, Session};
use justwhy_core::{LayerIndex, Presence, Readings};
use justwhy_project::memory::Memory;
use justwhy_project::{Error, World};
use std::sync::Arc;

/// Reads a project of these files in the context that `asked` names.
fn read(world: &Arc<Memory>, asked: Option<&str>) -> Result<Readings, Error> {
    let snapshot = session(world).map_err(|mut errors| errors.remove(0))?;
    let snapshot = snapshot.snapshot(Arguments::default(), true);
    snapshot.read(snapshot.here(asked)?)
}

fn session(world: &Arc<Memory>) -> Result<Session, Vec<Error>> {
    Session::open(Ports::of(Arc::clone(world) as Arc<dyn World>), None)
}

#[test]
fn finds_the_value_of_an_axis_in_the_order_of_the_contract() {
    let text = "justwhy = 1\n[[axis]]\nname='env'\nallowed=['dev','prod','production']\ndefault='dev'\nread=[{variable='ONE'},{variable='TWO'}]\n[[axis]]\nname='team'\nopen=true\n[[axis]]\nname='zone'\nallowed=['prod','eu']\n";
    let told = |variables: &[(&str, &str)], asked: Option<&str>| {
        let world = Arc::new(Memory::new(&[("justwhy.toml", text)]).with_variables(variables));
        match session(&world).unwrap().snapshot(Arguments::default(), true).here(asked) {
            Ok(context) => context
                .set()
                .map(|(axis, value)| format!("{axis}={value}"))
                .collect::<Vec<_>>()
                .join(" "),
            Err(error) => format!("{error} | {}", error.helps().join(" | ")),
        }
    };
    for (row, variables, asked, expected) in [
        ("default", vec![], None, "env=dev"),
        ("a variable", vec![("ONE", "prod")], None, "env=prod"),
        ("an empty variable is no hit", vec![("ONE", ""), ("TWO", "prod")], None, "env=prod"),
        ("--in is first", vec![("ONE", "prod")], Some("env=dev"), "env=dev"),
        ("--in unsets, against the default too", vec![("ONE", "prod")], Some("env="), ""),
        ("an open axis takes anything", vec![], Some("team=x,env=prod"), "env=prod team=x"),
        ("a bare value", vec![], Some("production,eu"), "env=production zone=eu"),
        ("--in spares a wrong variable", vec![("ONE", "nope")], Some("env=dev"), "env=dev"),
        (
            "a bare value of two axes",
            vec![],
            Some("prod"),
            "--in: more than one axis allows prod | write env=prod or zone=prod",
        ),
        ("twice", vec![], Some("env=dev,env=prod"), "--in gives the axis env twice | "),
        (
            "misspelt",
            vec![],
            Some("env=prodution"),
            "--in: prodution is not allowed for the axis env | did you mean production? | it allows dev, prod, production",
        ),
        (
            "misspelt and bare",
            vec![],
            Some("prodution"),
            "--in: no axis allows prodution | did you mean production?",
        ),
        ("misspelt axis", vec![], Some("emv=dev"), "--in: unknown axis emv | did you mean env?"),
        (
            "misspelt in a variable",
            vec![("TWO", "Prod")],
            None,
            "the variable TWO: Prod is not allowed for the axis env | did you mean prod? | it allows dev, prod, production",
        ),
        (
            "a path",
            vec![],
            Some("team=../x"),
            "--in: invalid value of the axis team: \"../x\" | a value has A-Z, a-z, 0-9, `.`, `_` and `-`, and is neither `.` nor `..`",
        ),
        (
            "nothing",
            vec![],
            Some(""),
            "--in: empty part | write --in AXIS=VALUE, several separated by commas",
        ),
        (
            "unknown",
            vec![],
            Some("what"),
            "--in: no axis allows what | the axes are env=dev|prod|production, team=…, zone=prod|eu",
        ),
    ] {
        assert_eq!(told(&variables, asked), expected, "{row}");
    }
}

#[test]
fn reads_a_file_once_however_many_layers_use_it() {
    let layers: String = ["dev", "prod", "other"]
        .map(|section| {
            format!("[[layer]]\nname='{section}'\nfile='./x//a.toml'\nunder='{section}'\n")
        })
        .concat();
    let world = Arc::new(Memory::new(&[
        ("justwhy.toml", &format!("justwhy = 1\n{layers}")),
        ("x/a.toml", "[dev]\na=1\n[prod]\na=2\n[other]\nb=3\n"),
    ]));
    let readings = read(&world, None).unwrap();
    assert_eq!(readings.readings.iter().filter(|reading| !reading.offers.is_empty()).count(), 3);
    assert!(readings.readings.iter().take(3).all(|reading| reading.origin.name() == "x/a.toml"));
    let reads = || world.reads.lock().unwrap().get(std::path::Path::new("/p/x/a.toml")).copied();
    assert_eq!(reads(), Some(1));
    // One reader serves any number of contexts, and what it read for one stays good.
    let session = session(&world).unwrap();
    let here = || session.snapshot(Arguments::default(), true).here(None).unwrap();
    let mut reader =
        Reader::new(Arc::clone(session.project()), Arc::clone(&world) as Arc<dyn World>);
    let mut set = Arguments::default();
    let first = reader.read(here(), &set).unwrap();
    set.set("new.key=1", 1).unwrap();
    let second = reader.read(here(), &set).unwrap();
    assert_eq!(reads(), Some(2));
    assert_eq!(first.readings[0].offers, second.readings[0].offers);
    assert!(second.keys.count() > first.keys.count());
}

#[test]
fn reads_large_files_on_two_threads_as_on_one() {
    let large =
        |from: usize| (from..from + 9_000).map(|n| format!("k{n} = {n}\n")).collect::<String>();
    let names = ["a", "b", "c", "d"];
    let layers =
        names.map(|name| format!("[[layer]]\nname='{name}'\nfile='{name}.toml'\n")).concat();
    let project = format!("justwhy = 1\n{layers}");
    let texts: Vec<String> = (0..4).map(|n| large(n * 3_000)).collect();
    let mut files = vec![("justwhy.toml", project.as_str())];
    let paths = ["a.toml", "b.toml", "c.toml", "d.toml"];
    files.extend(paths.iter().zip(&texts).map(|(path, text)| (*path, text.as_str())));
    let readings = read(&Arc::new(Memory::new(&files)), None).unwrap();
    for (number, reading) in readings.readings.iter().take(4).enumerate() {
        assert_eq!(reading.offers.len(), 9_000);
        let first = readings.keys.show(reading.offers[0].key);
        assert_eq!(first, format!("k{}", number * 3_000), "{}", reading.origin);
    }
    // Whichever thread is first, what is wrong in the weakest layer is told.
    let broken: Vec<String> = texts.iter().map(|text| format!("{text}x = \n")).collect();
    for (slot, text) in files[2..].iter_mut().zip(&broken[1..]) {
        slot.1 = text;
    }
    for _ in 0..10 {
        let error = read(&Arc::new(Memory::new(&files)), None).unwrap_err();
        assert_eq!(error.place().unwrap().to_string(), "b.toml:9001:5");
    }
}

#[test]
fn says_of_each_layer_what_there_is_of_it() {
    let project = "justwhy = 1\n[[axis]]\nname='env'\nallowed=['dev','prod']\n\
        [[layer]]\nname='a'\nfile='{env}.toml'\noptional=true\n\
        [[layer]]\nname='b'\nfile='b.toml'\nunder='{env}'\noptional=true\n\
        [[layer]]\nname='c'\nvalues={x=1}\nwhen={env='prod'}\n";
    let presence = |asked: &str| {
        let world = Arc::new(Memory::new(&[
            ("justwhy.toml", project),
            ("b.toml", "[dev]\n"),
            ("prod.toml", ""),
        ]));
        let readings = read(&world, Some(asked)).unwrap();
        let layers = (1..4).map(|layer| {
            let layer = readings.layer(LayerIndex(layer));
            match &layer.presence {
                Presence::Read => "read".to_owned(),
                _ => layer.absence().unwrap().to_string(),
            }
        });
        layers.collect::<Vec<_>>().join(" | ")
    };
    assert_eq!(
        presence("env=dev"),
        "file not found: dev.toml | read | applies only to env=prod; here env is dev"
    );
    assert_eq!(presence("env=prod"), "read | b.toml has no section prod | read");
    assert_eq!(
        presence("env="),
        "needs env, which is unset here | needs env, which is unset here | applies only to env=prod; here env is unset"
    );
}

#[test]
fn refuses_what_is_not_there_with_the_nearest_that_is() {
    let project = "justwhy = 1\n[[layer]]\nname='a'\nfile='s/production.yaml'\nunder='x'\n";
    let error = |files: &[(&str, &str)]| {
        let mut all = vec![("justwhy.toml", project)];
        all.extend(files);
        let error = read(&Arc::new(Memory::new(&all)), None).unwrap_err();
        format!("[{}] {error} | {}", error.code(), error.helps().join(" | "))
    };
    assert_eq!(
        error(&[("s/prodution.yaml", "")]),
        "[missing-file] s/production.yaml: file not found: a reads s/production.yaml | \
         did you mean s/prodution.yaml? | create it, or add optional = true to the layer"
    );
    assert_eq!(
        error(&[("s/production.yaml", "y: 1")]),
        "[missing-section] s/production.yaml: section not found: a reads the section x of s/production.yaml | \
         add the section, or add optional = true to the layer"
    );
    assert_eq!(
        error(&[("s/production.yaml", "x: [1]")]),
        "[bad-file] s/production.yaml:1:4: the section x of a is not a table | "
    );
    assert_eq!(
        error(&[("s/production.yaml", "x: ~")]),
        "[bad-file] s/production.yaml:1:4: the section x of a is not a table | "
    );
}

#[test]
fn refuses_a_variable_of_two_settings_and_one_that_is_no_text() {
    let project = "justwhy = 1\n[variables]\nprefix='T_'\n[[layer]]\nname='a'\nvalues={a-b=1,a_b=2}\n[[layer]]\nname='p'\nprocess=true\n";
    let world =
        Arc::new(Memory::new(&[("justwhy.toml", project)]).with_variables(&[("T_A_B", "hunter2")]));
    let error = read(&world, None).unwrap_err();
    assert_eq!(error.to_string(), "process: the variable T_A_B could mean a-b or a_b");
    #[cfg(unix)]
    {
        use std::os::unix::ffi::OsStringExt as _;
        let bad = || std::ffi::OsString::from_vec(vec![b'x', 0xff]);
        let with = |name: &str| {
            let mut world = Memory::new(&[("justwhy.toml", project)]);
            world.variables = vec![(name.into(), bad())];
            Arc::new(world)
        };
        assert!(read(&with("OTHER"), None).is_ok(), "a name that is not ours is left alone");
        assert_eq!(
            read(&with("T_X"), None).unwrap_err().to_string(),
            "process: the environment variable T_X is not UTF-8"
        );
    }
}

#[test]
fn a_snapshot_can_be_kept_and_shared() {
    fn is_shared<T: Send + Sync + 'static>(_: &T) {}
    let world = Arc::new(Memory::new(&[
        ("justwhy.toml", "justwhy = 1\n[[layer]]\nname='a'\nfile='a.toml'\n"),
        ("a.toml", "level = 140\n"),
    ]));
    let snapshot = {
        let session = session(&world).unwrap();
        is_shared(&session);
        session.snapshot(Arguments::default(), true)
    };
    is_shared(&snapshot);
    // It needs nothing of what it was made from, and several ask it at once.
    drop(world);
    let levels: Vec<String> = std::thread::scope(|scope| {
        let ask = || {
            let answers = snapshot.at(snapshot.here(None).unwrap()).unwrap();
            let resolution = answers.resolution();
            let key = resolution.settings()[0];
            justwhy_core::Explanation::of(&answers, key).value().unwrap().show()
        };
        let asking: Vec<_> = (0..4).map(|_| scope.spawn(ask)).collect();
        asking.into_iter().map(|it| it.join().unwrap()).collect()
    });
    assert_eq!(levels, ["140"; 4]);
}
