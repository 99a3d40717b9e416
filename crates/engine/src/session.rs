//! The one way in for every question.

use crate::{Arguments, Snapshot};
use justwhy_core::{Decrypts, Encrypts};
use justwhy_project::{Error, Project, Stores, World};
use std::path::Path;
use std::sync::Arc;

/// What the outside is asked through.
#[derive(Clone)]
pub struct Ports {
    /// Files, the process, version control, the clock, the user's consent.
    pub world: Arc<dyn World>,
    /// Stores that are not files; without it they are unavailable.
    pub stores: Option<Arc<dyn Stores>>,
    /// Who decrypts values; without it those that are encrypted cannot be read.
    pub decrypts: Option<Arc<dyn Decrypts>>,
    /// Who encrypts them; without it none is.
    pub encrypts: Option<Arc<dyn Encrypts>>,
}

impl Ports {
    /// Those of a world in which no store is asked and nothing is decrypted.
    pub fn of(world: Arc<dyn World>) -> Ports {
        Ports { world, stores: None, decrypts: None, encrypts: None }
    }
}

impl std::fmt::Debug for Ports {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Ports").finish_non_exhaustive()
    }
}

/// A project, and what it is asked through.
#[derive(Clone, Debug)]
pub struct Session {
    pub(crate) ports: Ports,
    pub(crate) project: Arc<Project>,
}

impl Session {
    /// Finds and reads the project file: that of `asked`, or the one above the current folder.
    pub fn open(ports: Ports, asked: Option<&Path>) -> Result<Session, Vec<Error>> {
        let project = Project::load(&*ports.world, asked)?;
        Ok(Session::of(ports, project))
    }

    /// Of a project that was read already.
    pub fn of(ports: Ports, project: Project) -> Session {
        Session { ports, project: Arc::new(project) }
    }

    /// The project.
    pub fn project(&self) -> &Arc<Project> {
        &self.project
    }

    /// What it is asked through.
    pub fn ports(&self) -> &Ports {
        &self.ports
    }

    /// All as it is now, with what is given besides; nothing is read before it is asked for. The layers
    /// that is local are left out of it unless they are wanted.
    pub fn snapshot(&self, arguments: Arguments, with_local: bool) -> Snapshot {
        Snapshot::new(self, arguments).with_local(with_local)
    }
}
