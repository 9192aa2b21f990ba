//! Every parameter of every kind of unit as a rack file names it: a page of the documentation, from the tables.

use zinc_core::rack::COMMON;
use zinc_core::unit::Param;
use zinc_core::unit::catalogue::KINDS;
use zinc_core::unit::param::Domain;
use zinc_core::unit::value::{Value, Written, write_value};

/// The page.
#[must_use]
pub fn parameters() -> String {
    let mut page = String::from(
        "# Parameters\n\nWritten by `./zinc types` from the tables of the core; [rack-file.md](rack-file.md) says how a \
         rack is written down.\n\n## Every unit\n\n",
    );
    page += &table(COMMON);
    for kind in KINDS {
        let key = if kind.takes_key { " It can have a `key`." } else { "" };
        page += &format!("\n## `{}`: {}\n\n{}{key}\n\n", kind.id, kind.name, kind.about);
        page += &table(kind.tables.params);
        for list in kind.tables.lists {
            page += &format!("\nUp to {} `{}`, each:\n\n{}", list.max, list.id, table(list.params));
        }
    }
    page
}

fn table(params: &[Param]) -> String {
    if params.is_empty() {
        return String::new();
    }
    let row = |p: &Param| {
        format!(
            "| `{}` | {} | {} | {} |\n",
            p.id,
            takes(&p.domain),
            code(&p.domain, &Value::default_of(&p.domain)),
            p.hint
        )
    };
    let head = "| name | takes | fresh | |\n|---|---|---|---|\n".to_string();
    params.iter().fold(head, |all, param| all + &row(param))
}

/// What a parameter takes, in words.
fn takes(domain: &Domain) -> String {
    match domain {
        Domain::Number { min, max, .. } => {
            let end = |n: f64| code(domain, &Value::Number(n));
            format!("{} to {}", end(*min), end(*max))
        }
        Domain::Choice { options, .. } => {
            (0..options.len()).map(|at| code(domain, &Value::Choice(at))).collect::<Vec<_>>().join(", ")
        }
        Domain::Switch { .. } => "`true`, `false`".into(),
        Domain::Sound { .. } => "the hash of a recorded response, `null`".into(),
    }
}

/// A value as a file has it.
fn code(domain: &Domain, value: &Value) -> String {
    match write_value(domain, value) {
        Written::Number(n) => format!("`{n}`"),
        written => format!("`{written}`"),
    }
}
