//! The nearest right word to a wrong one.

/// Words longer than this are not compared: no one mistypes a name of that length by a letter or two.
const LONGEST: usize = 64;

/// The candidate that the fewest slips of the keyboard turn into `word`; none where that would be a guess.
///
/// A slip is a letter too many, too few, wrong, or two neighbours swapped; one slip is allowed for every
/// three letters, and at least one. The first of equally near candidates is taken.
pub(crate) fn nearest<'a>(word: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let wanted: Vec<char> = word.chars().take(LONGEST + 1).collect();
    if wanted.len() > LONGEST {
        return None;
    }
    let mut best: Option<(usize, &str)> = None;
    for candidate in candidates {
        let known: Vec<char> = candidate.chars().take(LONGEST + 1).collect();
        let allowed = (wanted.len().max(known.len()) / 3).max(1);
        if known.len() > LONGEST || wanted.len().abs_diff(known.len()) > allowed {
            continue;
        }
        let most = best.map_or(allowed, |(fewest, _)| fewest.min(allowed));
        let slips = distance(&wanted, &known, most);
        if slips <= allowed && best.is_none_or(|(fewest, _)| slips < fewest) {
            best = Some((slips, candidate));
        }
    }
    best.map(|(_, candidate)| candidate)
}

/// What many programs call by another word.
pub(crate) fn usual_word(word: &str) -> Option<&'static str> {
    Some(match word.to_ascii_lowercase().as_str() {
        "int" | "long" | "int32" | "int64" => "integer",
        "uint" | "unsigned" => "natural",
        "float" | "double" | "decimal" | "num" => "number",
        "bool" => "boolean",
        "str" | "text" => "string",
        _ => return None,
    })
}

/// The help for an unknown word: the nearest right one, or all of them.
pub(crate) fn expected_one_of(word: &str, known: &[&str]) -> String {
    let usual = usual_word(word).filter(|usual| known.contains(usual));
    match usual.or_else(|| nearest(word, known.iter().copied())) {
        Some(near) => format!("did you mean `{near}`?"),
        None => {
            format!("expected one of {}", known.iter().map(|key| format!("`{key}`")).collect::<Vec<_>>().join(", "))
        }
    }
}

/// The optimal string alignment distance of two words, or some number beyond `most` where it is beyond it.
fn distance(left: &[char], right: &[char], most: usize) -> usize {
    let same = left.iter().zip(right).take_while(|(a, b)| a == b).count();
    let (left, right) = (&left[same..], &right[same..]);
    let mut before = [0; LONGEST + 1];
    let mut here = [0; LONGEST + 1];
    let mut above: [usize; LONGEST + 1] = std::array::from_fn(|column| column);
    for (row, &a) in left.iter().enumerate() {
        here[0] = row + 1;
        let mut fewest = here[0];
        for (column, &b) in right.iter().enumerate() {
            let mut least = (above[column] + usize::from(a != b)).min(above[column + 1] + 1).min(here[column] + 1);
            if row > 0 && column > 0 && a == right[column - 1] && left[row - 1] == b {
                least = least.min(before[column - 1] + 1);
            }
            here[column + 1] = least;
            fewest = fewest.min(least);
        }
        // What follows adds to the least of this row, but that two swapped letters reach one row further back.
        if fewest > most + 1 {
            return fewest;
        }
        std::mem::swap(&mut before, &mut above);
        std::mem::swap(&mut above, &mut here);
    }
    above[right.len()]
}

#[cfg(test)]
mod tests {
    use super::nearest;

    #[test]
    fn a_slip_is_forgiven_and_a_guess_is_not_made() {
        let keys = ["path", "page", "params", "frame"];
        assert_eq!(nearest("pth", keys), Some("path"));
        assert_eq!(nearest("apge", keys), Some("page"));
        assert_eq!(nearest("parms", keys), Some("params"));
        assert_eq!(nearest("zzz", keys), None);
        assert_eq!(nearest(&"x".repeat(1 << 20), keys), None);
    }
}
