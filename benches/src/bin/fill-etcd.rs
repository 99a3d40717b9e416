//! Puts the scopes of a store file into etcd, as `docs/stores.md` says: `fill-etcd FILE ADDRESS`.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use serde_json::json;
use std::error::Error;

fn main() -> Result<(), Box<dyn Error>> {
    let mut arguments = std::env::args().skip(1);
    let file = arguments.next().ok_or("which store file?")?;
    let address = arguments.next().ok_or("which address?")?;
    let scopes = justwhy_project::read_store_file(&file, std::fs::read(&file)?)
        .map_err(|errors| errors.first().map(ToString::to_string).unwrap_or_default())?;
    for scope in scopes {
        let put = |name: &str, held: serde_json::Value| {
            let key = STANDARD.encode(format!("/justwhy/{}/{name}", scope.name));
            json!({ "requestPut": { "key": key, "value": STANDARD.encode(held.to_string()) } })
        };
        let mut puts = vec![put("", json!({ "about": scope.about.as_deref() }))];
        puts.extend(scope.variables.iter().map(|it| {
            let value = it.value.as_deref().unwrap_or_default();
            put(
                &it.name,
                match (it.note.updated.as_deref(), it.note.by.as_deref()) {
                    (Some(updated), by) => json!({ "value": value, "updated": updated, "by": by }),
                    _ => json!(value),
                },
            )
        }));
        let body = json!({ "success": puts }).to_string();
        ureq::post(format!("{address}/v3/kv/txn")).send(body)?;
    }
    Ok(())
}
