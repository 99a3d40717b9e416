//! `demo`.
use crate::arguments::Common;
use crate::look::Look;
use crate::run::Outcome;
use justwhy_sources::{Error, World};
use std::path::Path;
pub(crate) fn run(_: Option<&Path>, _: &Common, _: &Look, _: &dyn World) -> Result<Outcome, Vec<Error>> { Err(vec![]) }
