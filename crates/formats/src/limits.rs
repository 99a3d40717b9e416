//! Limits that keep a hostile file from taking the machine.

/// How large and how deep a file may be.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Limits {
    /// The most bytes of a file, and of its text after aliases are expanded.
    pub file_bytes: u64,
    /// The most tables and lists inside each other, the root included.
    pub depth: usize,
    /// The most values, tables and lists, after aliases are expanded.
    pub nodes: usize,
}

impl Limits {
    /// Places are kept as 32-bit offsets.
    pub const MOST_FILE_BYTES: u64 = u32::MAX as u64 - 1;
    /// What the parsers of all formats can take.
    pub const MOST_DEPTH: usize = 250;
}

impl Default for Limits {
    fn default() -> Self {
        Limits { file_bytes: 64 * 1024 * 1024, depth: 128, nodes: 5_000_000 }
    }
}
