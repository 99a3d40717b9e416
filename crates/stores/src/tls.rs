//! Whom to trust, and as whom to ask.

use crate::permit::Permit;
use std::path::Path;
use std::sync::Arc;
use ureq::tls::{
    Certificate, ClientCert, PemItem, PrivateKey, RootCerts, TlsConfig, TlsProvider, parse_pem,
};

/// How connections to an address are secured; why that cannot be, as a clause.
pub(crate) fn tls(permit: &Permit) -> Result<TlsConfig, String> {
    let builder = TlsConfig::builder().provider(TlsProvider::Rustls);
    let roots = match &permit.allowed.authorities {
        None => RootCerts::PlatformVerifier,
        Some(path) => RootCerts::Specific(Arc::new(certificates(path)?)),
    };
    let client = match &permit.allowed.certificate {
        None => None,
        Some((certificate, key)) => {
            let key_text = read(key)?;
            let key = PrivateKey::from_pem(&key_text)
                .map_err(|_| format!("{} has no private key (PEM)", key.display()))?;
            Some(ClientCert::new_with_certs(&certificates(certificate)?, key))
        }
    };
    Ok(builder.root_certs(roots).client_cert(client).build())
}

fn certificates(path: &Path) -> Result<Vec<Certificate<'static>>, String> {
    let text = read(path)?;
    let found: Vec<Certificate<'static>> = parse_pem(&text)
        .filter_map(|item| match item {
            Ok(PemItem::Certificate(certificate)) => Some(certificate),
            _ => None,
        })
        .collect();
    match found.is_empty() {
        true => Err(format!("{} has no certificate (PEM)", path.display())),
        false => Ok(found),
    }
}

fn read(path: &Path) -> Result<Vec<u8>, String> {
    std::fs::read(path).map_err(|error| format!("{} cannot be read: {error}", path.display()))
}
