//! Tests of what the machine has.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use crate::{System, read_dump};
use justwhy_project::{Files as _, ReadProblem, date_of_day};
use std::ffi::OsString;
use std::path::Path;

mod beyond;

#[test]
fn reads_a_dump_with_line_ends_or_with_nuls() {
    for (row, dump, expected) in [
        ("lines", "A=1\nB=x=y\n", vec![("A", "1"), ("B", "x=y")]),
        ("no last line end", "A=1\nB=", vec![("A", "1"), ("B", "")]),
        ("a value over lines", "A=x\n y\n\nz\nB=2\n", vec![("A", "x\n y\n\nz"), ("B", "2")]),
        ("NULs", "A=x\ny\0B=2\0", vec![("A", "x\ny"), ("B", "2")]),
        ("records without =", "A=1\0rubbish\0B=2", vec![("A", "1"), ("B", "2")]),
        ("nothing", "", vec![]),
    ] {
        let expected: Vec<(OsString, OsString)> =
            expected.into_iter().map(|(name, value)| (name.into(), value.into())).collect();
        assert_eq!(read_dump(dump.as_bytes()), expected, "{row}");
    }
}

#[test]
fn reads_only_regular_files_that_are_small_enough() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("a.toml");
    std::fs::write(&file, "a = 1\n").unwrap();
    assert_eq!(System.read_file(&file, 6).unwrap(), b"a = 1\n");
    assert!(matches!(System.read_file(&file, 5), Err(ReadProblem::TooLarge)));
    assert!(matches!(System.read_file(folder.path(), 99), Err(ReadProblem::NotAFile("a folder"))));
    let below_a_file = file.join("b.toml");
    assert!(matches!(System.read_file(&below_a_file, 99), Err(ReadProblem::Missing)));
    #[cfg(target_os = "linux")]
    {
        let device = System.read_file(Path::new("/dev/zero"), 99);
        assert!(matches!(device, Err(ReadProblem::NotAFile("a pipe, socket or device"))));
        // The files of /proc say that they are empty, and are not.
        assert!(matches!(
            System.read_file(Path::new("/proc/self/maps"), 9),
            Err(ReadProblem::TooLarge)
        ));
    }
}

#[test]
fn tells_the_date_of_a_day() {
    for (day, date) in [
        (0, "1970-01-01"),
        (59, "1970-03-01"),
        (789, "1972-02-29"),
        (11_016, "2000-02-29"),
        (20_514, "2026-03-02"),
        (20_453, "2025-12-31"),
    ] {
        assert_eq!(date_of_day(day), date);
    }
}
