//! `--read`: what layers read instead of what they name.

use super::{Asked, other_process};
use justwhy_engine::{Arguments, Overlay, Ports, Session};
use justwhy_project::{Error, Reads, World};
use std::io::Read as _;
use std::sync::Arc;

/// The project, with what is read instead noted in `given`, and a sentence for each of that.
pub(super) fn session(
    asked: &Asked<'_>,
    world: &Arc<dyn World>,
    given: &mut Arguments,
) -> Result<(Session, Vec<String>), Vec<Error>> {
    let one = |error| vec![error];
    let mut session = asked.session(world)?;
    let mut told = Vec::new();
    let mut is_input_read = false;
    for text in &asked.common.read {
        let bad = |message: &str| Error::new("bad-argument", format!("--read: {message}"));
        let Some((name, path)) = text.split_once('=').filter(|(_, path)| !path.is_empty()) else {
            return Err(one(
                bad("expected LAYER=PATH").help("for example --read defaults=rendered.yaml")
            ));
        };
        let layer = session.project().layer_named(name).map_err(one)?;
        let number = layer.0.saturating_sub(1);
        let declared = session.project().layers.get(number);
        let is_input = path == "-";
        if is_input && std::mem::replace(&mut is_input_read, true) {
            return Err(one(bad("standard input can only be read once")));
        }
        match declared.map(|declared| (&declared.reads, declared.per_directory)) {
            Some((Reads::Process, _)) if !is_input => {
                let variables = other_process(path, &**world).map_err(one)?;
                let ports = session.ports().clone();
                let other = Overlay::new(Arc::clone(&ports.world), variables);
                let ports = Ports { world: Arc::new(other), ..ports };
                session = Session::open(ports, asked.common.project.as_deref())?;
                told.push(format!("{name} reads {path} instead of the environment (--read)"));
            }
            Some((Reads::File(..), false)) => {
                let most = session.project().limits.file_bytes;
                let bytes = match is_input {
                    true => standard_input(most).map_err(one)?,
                    false => {
                        let full = world.current_folder().unwrap_or_default().join(path);
                        let read = world.read_file(&full, most);
                        let unreadable = |problem| justwhy_project::unreadable(&problem, path);
                        read.map_err(|problem| one(unreadable(problem)))?
                    }
                };
                let shown = if is_input { "standard input" } else { path };
                given.read_instead(layer, shown.to_owned(), bytes);
                told.push(format!("{name} reads {shown} instead of its file (--read)"));
            }
            _ => {
                let error = bad(&format!("{name} does not read one file"));
                return Err(one(
                    error.help("only layers of one file or of the process can read another one")
                ));
            }
        }
    }
    Ok((session, told))
}

fn standard_input(most: u64) -> Result<Vec<u8>, Error> {
    let mut bytes = Vec::new();
    let read = std::io::stdin().lock().take(most + 1).read_to_end(&mut bytes);
    match read {
        Ok(_) if bytes.len() as u64 > most => {
            Err(Error::new("limit", "standard input is larger than the limit for files"))
        }
        Ok(_) => Ok(bytes),
        Err(error) => {
            Err(Error::new("unreadable-file", format!("standard input cannot be read: {error}")))
        }
    }
}
