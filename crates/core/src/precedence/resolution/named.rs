//! What a name means in a context: the names of variables that references use.

use super::Resolution;
use crate::model::catalogue::Former;
use crate::model::key::KeyId;
use crate::model::layer::Names;
use crate::model::near::is_near;
use crate::model::variable::{Clash, Known, Naming};
use hashbrown::{HashMap, HashSet};

/// The settings of a context by the names that references use for them. Made once somebody asks.
#[derive(Debug)]
pub(super) struct Meanings {
    /// By variable, under each naming of a layer.
    known: Vec<(Naming, Known)>,
    /// What sources mean by names that are no setting's variable.
    spelled: HashMap<String, KeyId>,
    /// The variables of secrets.
    secret: HashSet<String>,
}

impl Meanings {
    fn of(resolution: &Resolution) -> Meanings {
        let readings = resolution.readings();
        let (keys, catalogue) = (&*readings.keys, &*readings.catalogue);
        let mut named =
            Meanings { known: Vec::new(), spelled: HashMap::new(), secret: HashSet::new() };
        for layer in &readings.layers {
            let Names::Variables(naming) = &layer.names else { continue };
            if named.under(naming).is_none() {
                let known = Known::new(keys, &resolution.settings, catalogue, naming);
                named.known.push((naming.clone(), known));
            }
        }
        for reading in &readings.readings {
            if readings.layer(reading.layer).names == Names::Keys || reading.is_removal {
                continue;
            }
            let section = reading.section.unwrap_or(KeyId::ROOT);
            for offer in &reading.offers {
                let name = reading.document.leaves[offer.leaf as usize].name;
                if keys.parent(name) == section {
                    named.spelled.entry(keys.segment(name).to_owned()).or_insert(offer.key);
                }
            }
        }
        for key in resolution.secrets.all() {
            let declared = catalogue.declared(key);
            let own = declared.and_then(|declared| declared.variable.clone());
            let namings = || named.known.iter().map(|(naming, _)| naming);
            for former in declared.into_iter().flat_map(|declared| &declared.formerly) {
                match former {
                    Former::Variable(name) => drop(named.secret.insert(name.clone())),
                    Former::Key(path) => {
                        let names: Vec<String> =
                            namings().map(|it| it.variable_of(path.segments())).collect();
                        named.secret.extend(names);
                    }
                }
            }
            let names: Vec<String> = match own {
                Some(own) => vec![own],
                None => namings().map(|naming| naming.variable(keys, key)).collect(),
            };
            named.secret.extend(names);
        }
        let spelled = named.spelled.iter().filter(|(_, key)| resolution.secrets.has(**key));
        let spelled: Vec<String> = spelled.map(|(name, _)| name.clone()).collect();
        named.secret.extend(spelled);
        named
    }

    fn under(&self, naming: &Naming) -> Option<&Known> {
        let is_it = |other: &Naming| other.prefix == naming.prefix && other.nest == naming.nest;
        self.known.iter().find(|(other, _)| is_it(other)).map(|(_, known)| known)
    }
}

/// # Names
impl Resolution {
    fn named(&self) -> &Meanings {
        self.named.get_or_init(|| Meanings::of(self))
    }

    /// The setting that a name means where names are those of variables, as a source would read it;
    /// an error if two settings have it.
    pub(crate) fn setting_named(
        &self,
        naming: &Naming,
        name: &str,
    ) -> Result<Option<KeyId>, Clash> {
        let named = self.named();
        let known = named
            .under(naming)
            .map(|known| known.meant(self.keys(), &self.readings.catalogue, name));
        if let Some(key) = known.transpose()?.flatten() {
            return Ok(Some(key));
        }
        let spelled = named.spelled.get(name).copied();
        Ok(spelled.filter(|key| self.is_setting(*key)))
    }

    /// Whether a process variable of that name means a secret setting, or is nearly one that does.
    pub(crate) fn is_secret_variable(&self, name: &str) -> bool {
        let secret = &self.named().secret;
        secret.contains(name) || secret.iter().any(|other| is_near(other, name))
    }
}
