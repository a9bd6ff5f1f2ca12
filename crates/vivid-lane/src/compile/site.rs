//! What is declared of the site → how its URLs are cut and written.

use smol_str::SmolStr;

use crate::declare::Code;
use crate::declare::{Case, Location, Placed, Report, SiteKey, SiteSpec, Slash};
use crate::lookup::{MOST_BYTES, Site, normal_path};
use crate::template::percent::{decode, normalise_into};

/// Checks what is said of the site.
pub(super) fn site(spec: &SiteSpec, report: &mut Report) -> Site {
    let is_in_fragment = spec.location == Location::Fragment;
    let is_rooted = spec.base.as_ref().is_none_or(|base| base.value == "/");
    let origin = spec.origin.as_ref().and_then(|origin| checked_origin(origin, report));
    let base = spec.base.as_ref().map_or_else(Box::default, |base| checked_base(base, is_in_fragment, report));
    // As they are understood.
    let keys = spec.keys().filter_map(|key| match key.name {
        "origin" => Some(SiteKey { value: origin.as_deref()?.into(), ..key }),
        "base" => (!base.is_empty()).then(|| SiteKey { value: (&*base).into(), ..key }),
        _ => Some(key),
    });
    Site {
        is_plain: is_rooted && !is_in_fragment && spec.slash == Slash::Never && spec.case == Case::Exact,
        keys: keys.collect(),
        origin,
        base,
        slash: spec.slash,
        frame: spec.frame.as_ref().map(|frame| frame.value.as_str().into()),
        is_in_fragment,
        ignores_case: spec.case == Case::Fold,
    }
}

fn checked_origin(origin: &Placed<SmolStr>, report: &mut Report) -> Option<Box<str>> {
    let text = origin.value.strip_suffix('/').unwrap_or(&origin.value);
    let host = text.strip_prefix("https://").or_else(|| text.strip_prefix("http://"));
    let is_host = |host: &str| {
        !host.is_empty() && host.bytes().all(|byte| byte.is_ascii_alphanumeric() || b".-:[]".contains(&byte))
    };
    if host.is_some_and(is_host) {
        return Some(text.into());
    }
    report
        .add(
            Code::Origin,
            origin.span.as_ref(),
            format!("expected scheme and host, found `{}`", origin.value.escape_debug()),
        )
        .help_with("write it as `https://larkfell.example`; a path belongs into `base`");
    None
}

fn checked_base(base: &Placed<SmolStr>, is_in_fragment: bool, report: &mut Report) -> Box<str> {
    let text = base.value.as_str();
    let is_path = text.starts_with('/')
        && !text.contains(['?', '#', '{', '}', '\\'])
        && text.len() <= MOST_BYTES
        && text.split('/').skip(1).all(|segment| decode(segment).is_ok_and(|text| text != "." && text != ".."))
        && !text.contains("//");
    if !is_path {
        report
            .add(Code::Base, base.span.as_ref(), format!("expected a path, found `{}`", text.escape_debug()))
            .help_with("write it as `/app`");
        return Box::default();
    }
    if is_in_fragment {
        // A document may be `/app/` or `/app/index.html`, so its path stays as it is.
        let mut normal = String::new();
        text.split('/').skip(1).for_each(|segment| {
            normal.push('/');
            normalise_into(&mut normal, segment);
        });
        return normal.into();
    }
    // It was looked at.
    normal_path(text, 0).map_or_else(|_| Box::default(), |(path, _)| path.into())
}
