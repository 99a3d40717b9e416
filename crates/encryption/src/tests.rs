use super::{Keyring, new_identity};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use justwhy_core::{Decrypts as _, ENCRYPTED_MARK, Encrypts as _, NotEncrypted};
use std::io;
use std::path::{Path, PathBuf};

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Folder {
        Folder(tempfile::tempdir().unwrap())
    }

    fn identity(&self, name: &str) -> (PathBuf, String) {
        let file = self.0.path().join(name);
        let recipient = new_identity(&file, "for a test").unwrap();
        (file, recipient)
    }
}

fn keyring(file: &Path) -> Keyring {
    Keyring::new(Some(file.to_owned()))
}

#[test]
fn what_is_encrypted_for_several_is_read_by_each_and_by_nobody_else() {
    let folder = Folder::new();
    let (one, one_public) = folder.identity("one");
    let (two, two_public) = folder.identity("two");
    let (other, _) = folder.identity("other");
    for text in ["high-water", "", "line\nline ${a.b} \u{1f30a}", &"x".repeat(200_000)] {
        let encrypted = Keyring::new(None).encrypt(text, &[&one_public, &two_public]).unwrap();
        assert!(justwhy_core::is_encrypted(&encrypted));
        for file in [&one, &two] {
            let read = keyring(file).decrypt(&encrypted).unwrap();
            assert!(read.is_secret());
            assert!(*read == *text);
        }
        let why = keyring(&other).decrypt(&encrypted).unwrap_err();
        assert_eq!(why, format!("encrypted, but not for the identities in {}", other.display()));
        let why = Keyring::new(None).decrypt(&encrypted).unwrap_err();
        assert_eq!(why, "encrypted, and JUSTWHY_IDENTITY is not set");
    }
}

#[test]
fn whoever_encrypts_knows_what_it_is_without_an_identity() {
    let folder = Folder::new();
    let (_, recipient) = folder.identity("one");
    let keyring = Keyring::new(None);
    let encrypted = keyring.encrypt("high-water", &[&recipient]).unwrap();
    assert_eq!(&*keyring.decrypt(&encrypted).unwrap(), "high-water");
    assert_ne!(keyring.encrypt("high-water", &[&recipient]).unwrap(), encrypted);
    assert_eq!(keyring.encrypt("x", &[]), Err(NotEncrypted::Nobody));
    let wrong = recipient.replace(char::is_numeric, "q");
    let both = [recipient.as_str(), &wrong];
    assert_eq!(keyring.encrypt("x", &both), Err(NotEncrypted::BadRecipient(1)));
    assert!(!format!("{keyring:?}").contains("water"));
}

#[test]
fn a_file_in_its_armour_is_read_too() {
    let folder = Folder::new();
    let (file, recipient) = folder.identity("one");
    let recipient: age::x25519::Recipient = recipient.parse().unwrap();
    let armoured = age::encrypt_and_armor(&recipient, b"high-water").unwrap();
    let encrypted = format!("{ENCRYPTED_MARK}{}", STANDARD.encode(armoured));
    assert!(justwhy_core::is_encrypted(&encrypted));
    assert_eq!(&*keyring(&file).decrypt(&encrypted).unwrap(), "high-water");
}

#[test]
fn damage_anywhere_is_noticed() {
    let folder = Folder::new();
    let (file, recipient) = folder.identity("one");
    let encrypted = Keyring::new(None).encrypt("high-water", &[&recipient]).unwrap();
    let damaged = Err("encrypted, but damaged".to_owned());
    for end in (36..encrypted.len()).step_by(7) {
        assert_eq!(keyring(&file).decrypt(&encrypted[..end]), damaged, "{end}");
    }
    let mut others = 0;
    for at in 36..encrypted.len() {
        let other = if encrypted.as_bytes()[at] == b'A' { "B" } else { "A" };
        let changed = [&encrypted[..at], other, &encrypted[at + 1..]].concat();
        let read = keyring(&file).decrypt(&changed);
        assert!(read.is_err(), "{at}");
        // One that names another recipient cannot be told from one for another.
        others += usize::from(read != damaged);
    }
    assert!(others < encrypted.len() / 2, "{others}");
    assert_eq!(
        keyring(&file).decrypt(&encrypted).map(|it| it.to_string()),
        Ok("high-water".into())
    );
}

#[test]
fn identities_that_cannot_be_used_are_told_of_without_their_content() {
    let folder = Folder::new();
    let (file, recipient) = folder.identity("one");
    let encrypted = Keyring::new(None).encrypt("x", &[&recipient]).unwrap();
    let content = std::fs::read_to_string(&file).unwrap();
    let line = content.lines().last().unwrap();
    let shown = file.display().to_string();
    let cases = [
        ("# nothing\n\n".to_owned(), format!("no identity in {shown}")),
        (
            content.replace("AGE-SECRET-KEY-1", "AGE-SECRET-KEY-1Q"),
            format!("{shown}:3 is not an X25519 identity of the age format"),
        ),
        (
            format!("{recipient}\n"),
            format!("{shown}:1 is not an X25519 identity of the age format"),
        ),
    ];
    for (text, expected) in cases {
        std::fs::write(&file, text).unwrap();
        let why = keyring(&file).decrypt(&encrypted).unwrap_err();
        let begin = "encrypted, and the identities of JUSTWHY_IDENTITY cannot be read: ";
        assert_eq!(why, format!("{begin}{expected}"));
        assert!(!why.contains(line));
    }
    // Several in one file, with comments and blanks around.
    let (other, other_public) = folder.identity("other");
    let both = format!(
        "{content}\r\n  {}",
        std::fs::read_to_string(&other).unwrap().replace("\n#", "\n  #")
    );
    std::fs::write(&file, both).unwrap();
    for recipient in [&recipient, &other_public] {
        let encrypted = Keyring::new(None).encrypt("x", &[recipient]).unwrap();
        assert_eq!(keyring(&file).decrypt(&encrypted).map(|it| it.to_string()), Ok("x".into()));
    }
    std::fs::remove_file(&file).unwrap();
    let why = keyring(&file).decrypt(&encrypted).unwrap_err();
    assert!(why.contains("file not found: "), "{why}");
}

#[cfg(unix)]
#[test]
fn a_file_is_made_for_its_owner_alone_and_only_where_nothing_is() {
    use std::os::unix::fs::{PermissionsExt as _, symlink};
    let folder = Folder::new();
    let (file, recipient) = folder.identity("one");
    let mode = |file: &Path| std::fs::metadata(file).unwrap().permissions().mode() & 0o7777;
    assert_eq!(mode(&file), 0o600);
    let before = std::fs::read(&file).unwrap();
    let error = new_identity(&file, "for a test").unwrap_err();
    assert_eq!(error.kind(), io::ErrorKind::AlreadyExists);
    assert_eq!(std::fs::read(&file).unwrap(), before);
    // Nor through a link, wherever it leads.
    let link = folder.0.path().join("link");
    symlink(folder.0.path().join("elsewhere"), &link).unwrap();
    assert!(new_identity(&link, "for a test").is_err());
    assert!(!folder.0.path().join("elsewhere").exists());
    let encrypted = Keyring::new(None).encrypt("x", &[&recipient]).unwrap();
    for mode in [0o640, 0o604, 0o660, 0o601] {
        std::fs::set_permissions(&file, std::fs::Permissions::from_mode(mode)).unwrap();
        let why = keyring(&file).decrypt(&encrypted).unwrap_err();
        assert!(why.contains(&format!("its mode is {mode:04o} (use chmod 600)")), "{why}");
    }
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o400)).unwrap();
    assert!(keyring(&file).decrypt(&encrypted).is_ok());
}

/// What is encrypted for a recipient, for so many of them by its header.
fn for_many(recipient: &str, many: usize) -> String {
    let encrypted = Keyring::new(None).encrypt("high-water", &[recipient]).unwrap();
    let bytes = STANDARD.decode(encrypted.strip_prefix(ENCRYPTED_MARK).unwrap()).unwrap();
    let is_end = |part: &[u8]| part.starts_with(b"---");
    let end = (0..bytes.len()).find(|at| is_end(&bytes[*at..])).unwrap();
    let first = bytes.iter().position(|byte| *byte == b'\n').unwrap() + 1;
    let stanzas = bytes[first..end].repeat(many);
    let all = [&bytes[..first], &stanzas, &bytes[end..]].concat();
    format!("{ENCRYPTED_MARK}{}", STANDARD.encode(all))
}

#[test]
fn headers_that_would_take_long_are_refused() {
    let folder = Folder::new();
    let (file, _) = folder.identity("one");
    let (_, other) = folder.identity("other");
    let why = keyring(&file).decrypt(&for_many(&other, 10_000)).unwrap_err();
    assert_eq!(why, "encrypted for more than 256 recipients");
    // One recipient, and lines without end for it.
    let lines = format!("{}\n", "A".repeat(64)).repeat(20_000);
    let long = format!("age-encryption.org/v1\n-> X25519 {}\n{lines}", "A".repeat(43));
    let began = std::time::Instant::now();
    for end in ["", "A\n--- "] {
        let encrypted = format!("{ENCRYPTED_MARK}{}", STANDARD.encode(format!("{long}{end}")));
        let why = keyring(&file).decrypt(&encrypted).unwrap_err();
        assert_eq!(why, "encrypted, and the header is too long");
    }
    assert!(began.elapsed().as_secs() < 2, "{:?}", began.elapsed());
    // Who encrypts may add a stanza that is for nobody to each of them.
    let one = keyring(&file).decrypt(&for_many(&other, 100)).unwrap_err();
    assert!(one.starts_with("encrypted, but not for"), "{one}");
    // Many values, and many identities: together they are as long.
    let line = std::fs::read_to_string(&file).unwrap();
    let line = line.lines().last().unwrap();
    std::fs::write(&file, format!("{line}\n").repeat(120)).unwrap();
    let keyring = keyring(&file);
    let whys: Vec<String> =
        (98..=100).map(|many| keyring.decrypt(&for_many(&other, many)).unwrap_err()).collect();
    assert!(whys[0].starts_with("encrypted, but not for"), "{whys:?}");
    assert_eq!(whys[2], "too many encrypted values for one run");
}
