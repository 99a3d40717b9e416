//! Addresses, taken apart as the WHATWG standard defines.

use url::Url;

/// The parts of an address. The password is not among them: nobody is shown one.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Address {
    /// The scheme, in lower case.
    pub scheme: String,
    /// The user, if there is one.
    pub user: Option<String>,
    /// Whether there is a password.
    pub has_password: bool,
    /// The host, if there is one.
    pub host: Option<String>,
    /// The port: the one that is written, else the usual one of the scheme.
    pub port: Option<u16>,
    /// Whether that is only the usual one.
    pub is_usual_port: bool,
    /// The path.
    pub path: String,
    /// Whether there is a query or a fragment, which may hold anything.
    pub has_query: bool,
}

impl Address {
    /// Takes an address apart; an error is a clause without any part of it.
    pub fn parse(text: &str) -> Result<Address, String> {
        let url = Url::parse(text).map_err(|error| match error {
            url::ParseError::RelativeUrlWithoutBase => "it has no scheme".to_owned(),
            other => other.to_string(),
        })?;
        let user = Some(url.username()).filter(|user| !user.is_empty());
        Ok(Address {
            scheme: url.scheme().to_owned(),
            user: user.map(str::to_owned),
            has_password: url.password().is_some(),
            host: url.host_str().filter(|host| !host.is_empty()).map(str::to_owned),
            port: url.port_or_known_default(),
            is_usual_port: url.port().is_none(),
            path: url.path().to_owned(),
            has_query: url.query().is_some() || url.fragment().is_some(),
        })
    }

    /// Its parts with their names, the password hidden.
    pub fn parts(&self) -> Vec<(&'static str, String)> {
        let mut parts = vec![("scheme", self.scheme.clone())];
        parts.extend(self.user.iter().map(|user| ("user", user.clone())));
        if self.has_password {
            parts.push(("password", "***".to_owned()));
        }
        parts.extend(self.host.iter().map(|host| ("host", host.clone())));
        parts.extend(self.port.map(|port| match self.is_usual_port {
            true => ("port", format!("{port} (default)")),
            false => ("port", port.to_string()),
        }));
        if !self.path.is_empty() && self.path != "/" {
            parts.push(("path", self.path.clone()));
        }
        parts
    }
}
