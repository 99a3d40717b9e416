//! Names with which many others are compared.

use super::{Outline, reach_of};
use hashbrown::HashMap;

/// Names with which many others are compared. What many of them begin with is compared once, and only
/// while it could still be the beginning of what was meant: names of settings are much alike, so that
/// comparing each for itself takes long in a project where thousands of references are broken.
///
/// Of very many names only those are found that are one edit away: all that are two away could be hundreds
/// for each, where names are numbered, and nobody waits for that.
#[derive(Debug)]
pub struct KnownNames {
    all: Vec<KnownName>,
    /// Where there are many: which of them are so spelled, or are with a letter left out.
    slips: Option<HashMap<u64, Vec<u32>>>,
}

/// So many names are compared two edits away.
const MOST_COMPARED: usize = 3_000;
/// The most letters of a name of which one is left out.
const MOST_LETTERS: usize = 200;

#[derive(Debug)]
struct KnownName {
    /// In lower case, by which they are sorted.
    letters: Box<[char]>,
    /// How many letters are those of the one before.
    shared: usize,
    /// The next one that shares fewer letters with the one before it.
    beyond: usize,
    outline: Outline,
    /// The position among those that were given.
    number: usize,
    name: String,
}

impl KnownName {
    fn lower(&self) -> String {
        self.letters.iter().collect()
    }
}

impl FromIterator<String> for KnownNames {
    fn from_iter<I: IntoIterator<Item = String>>(names: I) -> KnownNames {
        KnownNames::of(names, MOST_COMPARED)
    }
}

impl KnownNames {
    /// With an index, however few they are.
    #[cfg(any(test, feature = "fuzzing"))]
    pub(crate) fn indexed(names: impl IntoIterator<Item = String>) -> KnownNames {
        KnownNames::of(names, 0)
    }

    /// With an index if they are more than so many.
    fn of(names: impl IntoIterator<Item = String>, most_compared: usize) -> KnownNames {
        let known = |(number, name): (usize, String)| {
            let lower = name.to_ascii_lowercase();
            let (letters, outline) = (lower.chars().collect(), Outline::of(&lower));
            KnownName { letters, shared: 0, beyond: 0, outline, number, name }
        };
        let mut all: Vec<KnownName> = names.into_iter().enumerate().map(known).collect();
        all.sort_by(|one, other| one.letters.cmp(&other.letters));
        for at in 1..all.len() {
            let pairs = all[at - 1].letters.iter().zip(&all[at].letters);
            all[at].shared = pairs.take_while(|(before, here)| before == here).count();
        }
        // From the last, along those that share fewer and fewer.
        for at in (0..all.len()).rev() {
            let mut beyond = at + 1;
            while all.get(beyond).is_some_and(|other| other.shared >= all[at].shared) {
                beyond = all[beyond].beyond;
            }
            all[at].beyond = beyond;
        }
        let slips = (all.len() > most_compared).then(|| {
            let mut slips: HashMap<u64, Vec<u32>> = HashMap::new();
            for (at, known) in all.iter().enumerate() {
                let at = u32::try_from(at).unwrap_or(u32::MAX);
                each_slip(&known.letters, |slip| {
                    let same = slips.entry(slip).or_default();
                    if same.last() != Some(&at) {
                        same.push(at);
                    }
                });
            }
            slips
        });
        KnownNames { all, slips }
    }
}

/// The hashes of a name, and of what it becomes where a letter is left out: two names that are one edit
/// apart, or have two neighbours swapped, have one of them in common.
fn each_slip(letters: &[char], mut take: impl FnMut(u64)) {
    let hash = |letters: &mut dyn Iterator<Item = &char>| {
        letters.fold(0xcbf2_9ce4_8422_2325_u64, |hash, letter| {
            (hash ^ u64::from(*letter)).wrapping_mul(0x0100_0000_01b3)
        })
    };
    take(hash(&mut letters.iter()));
    if letters.len() <= MOST_LETTERS {
        for at in 0..letters.len() {
            take(hash(&mut letters[..at].iter().chain(&letters[at + 1..])));
        }
    }
}

impl KnownNames {
    /// The one that was probably meant, the same as [`nearest`](super::nearest) finds.
    pub(crate) fn nearest(&self, name: &str) -> Option<&str> {
        let near = self.near(name).into_iter();
        near.map(|(distance, known)| (distance, known.name.as_str())).min().map(|(_, name)| name)
    }

    /// All that may have been meant, each with its number, in their order.
    pub(crate) fn meant_by(&self, name: &str) -> Vec<(usize, &str)> {
        let near = self.near(name).into_iter();
        let mut all: Vec<(usize, &str)> =
            near.map(|(_, known)| (known.number, known.name.as_str())).collect();
        all.sort_unstable();
        all
    }

    /// All that are near enough, with their distance.
    fn near(&self, name: &str) -> Vec<(usize, &KnownName)> {
        if let Some(slips) = &self.slips {
            return self.one_away(name, slips);
        }
        let reach = reach_of(name);
        let lower = name.to_ascii_lowercase();
        let (outline, mut rows) = (Outline::of(&lower), Rows::of(&lower, reach));
        let mut found = Vec::new();
        // So many letters are the beginning of no near name.
        let mut hopeless: Option<usize> = None;
        // How many letters are those of the one that was compared last.
        let mut shared = 0;
        let mut at = 0;
        while let Some(known) = self.all.get(at) {
            shared = known.shared.min(shared);
            if let Some(letters) = hopeless.filter(|letters| shared >= *letters) {
                // All that begin so are passed over at once.
                while self.all.get(at).is_some_and(|known| known.shared >= letters) {
                    at = self.all[at].beyond;
                }
                continue;
            }
            at += 1;
            if !outline.could_be_slip_of(&known.outline) {
                continue;
            }
            rows.keep(shared);
            shared = usize::MAX;
            while rows.letters() < known.letters.len() && !rows.are_hopeless() {
                rows.add(&known.letters);
            }
            hopeless = rows.are_hopeless().then(|| rows.letters());
            if hopeless.is_none() && rows.distance() <= reach {
                found.push((rows.distance(), known));
            }
        }
        found
    }

    /// All that are at most one edit away, with their distance.
    fn one_away(&self, name: &str, slips: &HashMap<u64, Vec<u32>>) -> Vec<(usize, &KnownName)> {
        let lower = name.to_ascii_lowercase();
        let letters: Vec<char> = lower.chars().collect();
        let mut found: Vec<u32> = Vec::new();
        each_slip(&letters, |slip| found.extend(slips.get(&slip).into_iter().flatten()));
        found.sort_unstable();
        found.dedup();
        let reach = reach_of(name).min(1);
        let known = found.into_iter().filter_map(|at| self.all.get(at as usize));
        let near = known.map(|known| (strsim::osa_distance(&lower, &known.lower()), known));
        near.filter(|(distance, _)| *distance <= reach).collect()
    }
}

/// Edit distances of what a known name begins with to what the wanted name begins with; two neighbours in
/// the wrong order count as one edit. A row for each number of letters of the known name, in which the
/// places are numbers of letters of the wanted one.
struct Rows {
    wanted: Vec<char>,
    /// Larger distances are all the same.
    reach: usize,
    cells: Vec<usize>,
    /// The least of each row.
    least: Vec<usize>,
}

impl Rows {
    fn of(name: &str, reach: usize) -> Rows {
        let wanted: Vec<char> = name.chars().collect();
        let cells = (0..=wanted.len()).collect();
        Rows { wanted, reach, cells, least: vec![0] }
    }

    fn width(&self) -> usize {
        self.wanted.len() + 1
    }

    /// Of how many letters of the known name the last row is.
    fn letters(&self) -> usize {
        self.least.len() - 1
    }

    /// Forgets all rows but those of so many letters.
    fn keep(&mut self, letters: usize) {
        self.least.truncate(letters + 1);
        self.cells.truncate((letters + 1) * self.width());
    }

    /// Adds the row for one letter more of the known name.
    fn add(&mut self, known: &[char]) {
        let (here, width, too_far) = (self.least.len(), self.width(), self.reach + 1);
        let letter = known[here - 1];
        self.cells.resize((here + 1) * width, too_far);
        let (above, row) = self.cells.split_at_mut(here * width);
        let before = &above[(here - 1) * width..];
        let mut least = too_far;
        // Beyond that, letters are missing that nobody can put in.
        let first = here.saturating_sub(self.reach);
        let last = (here + self.reach).min(width - 1);
        for at in first..=last {
            let mut distance = before[at] + 1;
            if at > 0 {
                let wanted = self.wanted[at - 1];
                distance = distance.min(row[at - 1] + 1);
                distance = distance.min(before[at - 1] + usize::from(wanted != letter));
                let is_swapped = at > 1
                    && here > 1
                    && wanted == known[here - 2]
                    && self.wanted[at - 2] == letter;
                if is_swapped {
                    distance = distance.min(above[(here - 2) * width + at - 2] + 1);
                }
            }
            row[at] = distance.min(too_far);
            least = least.min(row[at]);
        }
        self.least.push(least);
    }

    /// Whether no name that begins so is near. Two letters in the wrong order look back past a row.
    fn are_hopeless(&self) -> bool {
        let before = self.least.len().checked_sub(2).map_or(0, |at| self.least[at]);
        self.least.last().is_some_and(|least| *least > self.reach) && before >= self.reach
    }

    /// The distance of the known name, after its last letter.
    fn distance(&self) -> usize {
        self.cells.last().copied().unwrap_or_default()
    }
}
