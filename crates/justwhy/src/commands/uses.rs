//! `uses`: where source code mentions settings.

use crate::arguments::Form;
use crate::json::{self, ShownPlace, Word};
use crate::look::{Cell, Look, Role};
use crate::outcome::Outcome;
use crate::running::{Answering, Running, Runs, Surveying, reading};
use crate::unfreed::Unfreed;
use clap::Args;
use justwhy_core::{KeyId, Keys, Resolution};
use justwhy_engine::{Searched, Surveyed, Use, Uses};
use justwhy_project::Error;
use justwhy_reports::{Mentioned, sarif_of_mentions};
use serde::Serialize;

#[derive(Args, Debug)]
pub(crate) struct UsesArguments {
    /// Keys, branches, patterns, variables or FILE:LINE [default: all, by number of uses]
    #[arg(value_name = "KEY")]
    pub(crate) keys: Vec<String>,
}

impl Runs for UsesArguments {
    fn run(&self, running: &Running<'_>) -> Result<Outcome, Vec<Error>> {
        running.survey(false, |surveying| run(surveying, self))
    }

    fn own_forms(&self) -> &'static [Form] {
        &[Form::Sarif]
    }
}

#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct UsesBody {
    searched: ShownSearched,
    settings: Vec<UsedSetting>,
}

/// The files that were searched, and how many were not.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
struct ShownSearched {
    files: usize,
    /// Not searched, as they are no text.
    #[serde(default, skip_serializing_if = "json::is_zero")]
    binary: usize,
    /// Not searched, as they have more than 8 MiB.
    #[serde(default, skip_serializing_if = "json::is_zero")]
    too_long: usize,
    #[serde(default, skip_serializing_if = "json::is_zero")]
    unreadable: usize,
    /// Whether these are the files that git tracks or would track; else all that ignore files do not leave out.
    tracked: bool,
    /// Whether there are more files than are searched.
    #[serde(default, skip_serializing_if = "json::is_false")]
    cut: bool,
}

/// A setting with the places that mention it.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct UsedSetting {
    key: String,
    uses: Vec<ShownUse>,
}

impl UsedSetting {
    pub(crate) fn of(keys: &Keys, (key, uses): &(KeyId, Vec<Use>)) -> UsedSetting {
        UsedSetting { key: keys.show(*key), uses: uses.iter().map(ShownUse::of).collect() }
    }
}

/// Where source code uses some settings, in one sentence for each; none if the project does not have its code
/// searched.
pub(crate) fn of_settings(
    answering: &Answering<'_>,
    resolution: &Resolution,
    settings: Vec<KeyId>,
) -> Result<Option<Uses>, Vec<Error>> {
    if answering.snapshot.project().code.is_none() {
        return Ok(None);
    }
    let contexts = [resolution.shared_readings()];
    answering.snapshot.uses(&contexts, settings).map(Some).map_err(|error| vec![error])
}

/// Where a setting is used, as a sentence: a program before a test.
pub(crate) fn sentence(uses: &[Use]) -> String {
    let first = uses.iter().find(|it| !it.is_sample).or(uses.first());
    let Some(first) = first else { return "No code mentions it.".to_owned() };
    let place = format!("{}:{}", first.file, first.line);
    match uses.len() {
        1 => format!("Used by {place}."),
        2 => format!("Used by {place} and 1 more place."),
        count => format!("Used by {place} and {} more places.", count - 1),
    }
}

/// A place that mentions a setting.
#[derive(Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema, serde::Deserialize))]
pub(crate) struct ShownUse {
    #[serde(flatten)]
    place: ShownPlace,
    by: Word,
    /// The name as it is written, where names are loose.
    #[serde(skip_serializing_if = "Option::is_none")]
    written: Option<String>,
    /// Whether the file is a test, a sample or a document.
    #[serde(default, skip_serializing_if = "json::is_false")]
    sample: bool,
}

impl ShownUse {
    pub(crate) fn of(place: &Use) -> ShownUse {
        ShownUse {
            place: ShownPlace::of(&place.place()),
            by: by(place).into(),
            written: place.written.as_deref().map(str::to_owned),
            sample: place.is_sample,
        }
    }
}

fn by(place: &Use) -> &'static str {
    if place.is_variable() { "variable" } else { "key" }
}

fn run(surveying: &Surveying<'_>, options: &UsesArguments) -> Result<Outcome, Vec<Error>> {
    let progress = surveying.progress;
    let asked = surveying.common.context.as_deref();
    surveying.snapshot.expect_code();
    let Surveyed { survey, head, .. } =
        surveying.snapshot.survey(asked, false, &|count| progress.now(|| reading(count)))?;
    let survey = Unfreed::new(survey, surveying.keyring.may_decrypt());
    let no_context = || vec![Error::new("bad-context", "no context to look at")];
    let keys = survey.keys().ok_or_else(no_context)?;
    let chosen = super::grid::chosen(surveying, &survey, &options.keys)?;
    let are_all = chosen.is_none();
    let settings: Vec<KeyId> = match chosen {
        Some(chosen) => keys.sorted(chosen),
        None => keys.sorted(survey.settings().iter().copied()),
    };
    progress.now(|| "searching the source code".to_owned());
    let uses = surveying.snapshot.uses(survey.contexts(), settings).map_err(|error| vec![error])?;
    let Uses { mut settings, searched } = uses;
    if are_all {
        settings.sort_by_key(|(_, uses)| uses.len());
    }
    let settings = Unfreed::new(settings, surveying.keyring.may_decrypt());
    let is_found = are_all || settings.iter().any(|(_, uses)| !uses.is_empty());
    let result = match surveying.common.output {
        Form::Json => {
            let settings = settings.iter().map(|it| UsedSetting::of(keys, it)).collect();
            let searched = ShownSearched::of(searched);
            json::text(&json::Answer::new("uses", &head, UsesBody { searched, settings }))
        }
        Form::Sarif => {
            let mentioned = settings.iter().flat_map(|(key, uses)| {
                let key = keys.show(*key);
                uses.iter().map(move |it| Mentioned { key: key.clone(), place: it.place() })
            });
            let mentioned: Vec<Mentioned> = mentioned.collect();
            sarif_of_mentions(&mentioned, env!("CARGO_PKG_VERSION"))
        }
        _ => {
            let is_full = surveying.common.full;
            let text = Text { look: surveying.look, keys, searched, is_full };
            if are_all { text.all(&settings) } else { text.chosen(&settings) }
        }
    };
    let (notes, done) = (String::new(), Vec::new());
    Ok(Outcome { result: result.into(), notes, code: u8::from(!is_found), done })
}

impl ShownSearched {
    fn of(searched: Searched) -> ShownSearched {
        ShownSearched {
            files: searched.files,
            binary: searched.binary,
            too_long: searched.long,
            unreadable: searched.unreadable,
            tracked: searched.are_tracked,
            cut: searched.are_cut,
        }
    }
}

/// `1 file`, `3 files`.
fn counted(count: usize, one: &str) -> String {
    if count == 1 { format!("1 {one}") } else { format!("{count} {one}s") }
}

struct Text<'t> {
    look: &'t Look,
    keys: &'t Keys,
    searched: Searched,
    is_full: bool,
}

/// So many places of a setting are shown at once.
const MOST: usize = 20;

impl Text<'_> {
    /// Where it was searched, and what was not.
    fn searched(&self) -> String {
        let Searched { files, binary, long, unreadable, are_tracked, are_cut } = self.searched;
        let tracked = if are_tracked { " that git does not ignore" } else { "" };
        let mut text = format!("searched {}{tracked}", counted(files, "file"));
        let skipped = [
            (binary, "that is not text", "that are not text"),
            (long, "of more than 8 MiB", "of more than 8 MiB"),
            (unreadable, "that cannot be read", "that cannot be read"),
        ];
        for (count, one, many) in skipped {
            if count > 0 {
                let what = if count == 1 { one } else { many };
                text.push_str(&format!("; not {} {what}", counted(count, "file")));
            }
        }
        if are_cut {
            text.push_str("; there are more files than are searched");
        }
        text
    }

    /// Every setting by the number of its uses.
    fn all(&self, settings: &[(KeyId, Vec<Use>)]) -> String {
        let mut out = String::new();
        let unused = settings.iter().filter(|(_, uses)| uses.is_empty()).count();
        let of = counted(settings.len(), "setting");
        let (role, line) = match unused {
            0 => (Role::Value, format!("code mentions every one of {of}")),
            count => (Role::Warning, format!("code does not mention {count} of {of}")),
        };
        self.look.styled(&mut out, role, &line, "");
        self.look.styled(&mut out, Role::Lost, &self.searched(), "  ");
        if !settings.is_empty() {
            out.push('\n');
        }
        let record = |(key, uses): &(KeyId, Vec<Use>)| {
            let place = uses.first().map(|it| it.place().to_string()).unwrap_or_default();
            let more = match uses.len() {
                0 | 1 => String::new(),
                count => format!(
                    "and {} more {}",
                    count - 1,
                    if count == 2 { "place" } else { "places" }
                ),
            };
            let role = if uses.is_empty() { Role::Warning } else { Role::Plain };
            let count = match self.look.width {
                Some(_) => format!("{:>5}", uses.len()),
                None => uses.len().to_string(),
            };
            vec![
                Cell::new(role, count),
                Cell::new(Role::Key, self.keys.show(*key)),
                Cell::new(Role::Place, place),
                Cell::new(Role::Lost, more),
            ]
        };
        let records: Vec<Vec<Cell>> = settings.iter().map(record).collect();
        self.look.records(&mut out, 0, &records);
        out
    }

    /// Every place of some settings.
    fn chosen(&self, settings: &[(KeyId, Vec<Use>)]) -> String {
        let mut out = String::new();
        for (number, (key, uses)) in settings.iter().enumerate() {
            if number > 0 {
                out.push('\n');
            }
            self.setting(*key, uses, &mut out);
        }
        if settings.is_empty() {
            self.look.styled(&mut out, Role::Warning, "no setting matches", "");
        }
        self.look.styled(&mut out, Role::Lost, &self.searched(), "  ");
        out
    }

    fn setting(&self, key: KeyId, uses: &[Use], out: &mut String) {
        let shown = self.keys.show(key);
        let mut files: Vec<&str> = uses.iter().map(|it| it.file.as_ref()).collect();
        files.dedup();
        let (role, line) = match uses.len() {
            0 => (Role::Warning, format!("no code mentions {shown}")),
            count => (
                Role::Value,
                format!(
                    "{shown} is used in {} in {}",
                    counted(count, "place"),
                    counted(files.len(), "file")
                ),
            ),
        };
        self.look.styled(out, role, &line, "");
        let most = if self.is_full || self.look.width.is_none() { uses.len() } else { MOST };
        let record = |it: &Use| {
            let written = match &it.written {
                Some(written) => format!("as {written}"),
                None => format!("by its {}", by(it)),
            };
            let sample = if it.is_sample { "test or sample" } else { "" };
            vec![
                Cell::new(Role::Place, it.place().to_string()),
                Cell::new(Role::Plain, written),
                Cell::new(Role::Lost, sample),
            ]
        };
        let records: Vec<Vec<Cell>> = uses.iter().take(most).map(record).collect();
        self.look.records(out, 2, &records);
        if uses.len() > most {
            let line = format!("{} more places (details: --full)", uses.len() - most);
            self.look.styled(out, Role::Lost, &line, "  ");
        }
    }
}
