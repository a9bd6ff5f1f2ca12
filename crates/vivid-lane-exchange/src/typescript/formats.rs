//! The built-in formats as regular expressions of the browser. Each is linear: no part of a text can be read in two ways.

const DAY: &str = r"(?:\d{4}-(?:(?:0[13578]|1[02])-(?:0[1-9]|[12]\d|3[01])|(?:0[469]|11)-(?:0[1-9]|[12]\d|30)|02-(?:0[1-9]|1\d|2[0-8]))|(?:\d\d(?:0[48]|[2468][048]|[13579][26])|(?:[02468][048]|[13579][26])00)-02-29)";
const TIME: &str = r"(?:[01]\d|2[0-3]):[0-5]\d:(?:[0-5]\d|60)(?:\.\d+)?(?:Z|[+-](?:[01]\d|2[0-3]):[0-5]\d)";
const LABEL: &str = "[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?";
const BYTE: &str = r"(?:25[0-5]|2[0-4]\d|1\d\d|[1-9]?\d)";

/// The expression of a format, without its anchors; `None` for one that only its automaton knows.
pub(super) fn expression(name: &str) -> Option<String> {
    Some(match name {
        "integer" => r"0|-?[1-9]\d*".to_owned(),
        "natural" => r"0|[1-9]\d*".to_owned(),
        "number" => r"0|-?(?:0\.\d*[1-9]|[1-9]\d*(?:\.\d*[1-9])?)".to_owned(),
        "boolean" => "true|false".to_owned(),
        "digits" => r"\d+".to_owned(),
        "date" => DAY.to_owned(),
        "time" => TIME.to_owned(),
        "date-time" => format!("{DAY}T{TIME}"),
        "uuid" => "[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}".to_owned(),
        "slug" => "[a-z0-9]+(?:-[a-z0-9]+)*".to_owned(),
        "hex" => "[0-9a-fA-F]+".to_owned(),
        "email" => format!(r"[a-zA-Z0-9.!#$%&'*+/=?^_`{{|}}~-]+@{LABEL}(?:\.{LABEL})*"),
        "ipv4" => format!(r"{BYTE}(?:\.{BYTE}){{3}}"),
        "alpha" => "[A-Za-z]+".to_owned(),
        "alnum" => "[A-Za-z0-9]+".to_owned(),
        "file-name" => {
            r"(?!(?:[cC][oO][nN]|[pP][rR][nN]|[aA][uU][xX]|[nN][uU][lL]|(?:[cC][oO][mM]|[lL][pP][tT])[0-9¹²³]) *(?:\.[^]*)?$)[^/\\:\0-\x1f\x7f]*[^/\\:. \0-\x1f\x7f]"
                .to_owned()
        }
        _ => return None,
    })
}

/// What has the shape of a day, whether or not the calendar has it.
pub(super) const SHAPE_OF_DAY: &str = r"\d{4}-\d\d-\d\d";
