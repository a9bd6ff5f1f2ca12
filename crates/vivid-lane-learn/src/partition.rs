//! Which words at one place are fixed segments, and which are values of a parameter.
//!
//! The division is taken whose description is the shortest, in bits:
//!
//! - A fixed segment costs [`ROUTE`] bits for each form of address at it and below it; which of these forms each of its requests
//!   had, as they come (a Dirichlet-multinomial distribution).
//! - A parameter costs that once for all its values. Its values are described as they come: with θ as its openness, the next value is a new
//!   one with the probability (θ + d · values so far) / (θ + hits so far), else one that has come before, in proportion to its hits less d (a Chinese
//!   restaurant process with a discount, after Pitman and Yor, which does not depend on the order). θ is what fits the number of values best, [`LEAST_OPEN`] at least, as a parameter with many hits and
//!   few values is improbable.
//! - The requests of a value have the forms of address below it about as those of the other values have: the shares of the forms are drawn
//!   around those of all values, with the weight of [`LIKENESS`] requests. A value with a form that no other has costs much.
//! - Which of the segments and the parameter each request asked for costs the logarithm of the ways in which they may come in turn.
//! - Which of the words are fixed segments costs the logarithm of the ways to choose so many.
//!
//! Letters cost the same in a table and in a log, and are left out. The cost is O(n) for each division that is tried; tried are the
//! divisions that take the most wanted words for fixed segments, and then each word that has a form of address of its own.

use std::collections::{BTreeMap, BTreeSet};

use super::class::{Kinds, masked};
use super::tree::Node;

/// What a route costs.
const ROUTE: f64 = 8.0;
/// How much less the values that came before are expected to come again, than by their hits alone: the more, the more uneven they are.
const DISCOUNTS: [f64; 3] = [0.0, 0.25, 0.5];
/// The least openness of a parameter.
const LEAST_OPEN: f64 = 30.0;
/// How alike values of one parameter are, in requests.
const LIKENESS: f64 = 20.0;
/// So many requests of a value tell of the shares of all, at most.
const MOST_TELLING: f64 = 30.0;
/// How many of the most wanted words are tried as fixed segments.
const MOST_FIXED: usize = 96;
/// So many requests at one place count, at most; of more, each word has its share. How uneven values are is only about what is expected
/// of them, so a long log would make pages of the most wanted values.
const MOST_HITS: f64 = 1_000.0;
/// Of one word, so many times those of the middle one count in that sum: a section of the site does not make single pages of no account.
const MOST_OF_ONE: f64 = 20.0;
/// How deep below a word its forms are looked at, and how many of them.
const DEEP: usize = 3;
const MOST_FORMS: usize = 64;

/// A word, with its hits and the forms of address below it.
struct Word<'a> {
    label: &'a str,
    hits: f64,
    /// By number, with the hits of each.
    forms: Vec<(usize, f64)>,
}

/// The labels that are fixed segments; the others are values of one parameter.
pub(super) fn fixed<'a>(words: &[(&'a str, &Node)]) -> BTreeSet<&'a str> {
    if words.len() < 2 {
        return words.iter().map(|(label, _)| *label).collect();
    }
    let (mut all, forms) = read(words);
    all.sort_by(|one, other| other.hits.total_cmp(&one.hits).then_with(|| one.label.cmp(other.label)));
    let middle = all[all.len() / 2].hits;
    let total: f64 = all.iter().map(|word| word.hits.min(MOST_OF_ONE * middle)).sum();
    if total > MOST_HITS {
        let scaled = |hits: f64| (hits * MOST_HITS / total).max(1.0);
        for word in &mut all {
            word.forms.iter_mut().for_each(|(_, hits)| *hits = scaled(*hits));
            word.hits = scaled(word.hits).max(word.forms.iter().map(|(_, hits)| hits).sum());
        }
    }
    let mut is_fixed = vec![false; all.len()];
    let mut best = (cost(&all, &is_fixed, forms), is_fixed.clone());
    let mut try_it = |is_fixed: &[bool]| {
        let bits = cost(&all, is_fixed, forms);
        let is_better = bits < best.0;
        if is_better {
            best = (bits, is_fixed.to_vec());
        }
        is_better
    };
    for at in 0..all.len().min(MOST_FIXED) {
        is_fixed[at] = true;
        try_it(&is_fixed);
    }
    // All of them, where there are not too many.
    if all.len() <= 4 * MOST_FIXED {
        try_it(&vec![true; all.len()]);
    }
    // Those that have what few others have below them, or nothing where the others have something, one by one.
    let mut now = best.1.clone();
    let mut common = vec![0_usize; forms];
    all.iter().flat_map(|word| &word.forms).for_each(|(form, _)| common[*form] += 1);
    let odd = (0..all.len()).filter(|at| {
        let word = &all[*at];
        word.forms.iter().any(|(form, _)| common[*form] * 8 < all.len()) || word.forms.len() < 2
    });
    for at in odd.take(MOST_FIXED) {
        if !now[at] {
            now[at] = true;
            let bits = cost(&all, &now, forms);
            if bits < best.0 {
                best = (bits, now.clone());
            } else {
                now[at] = false;
            }
        }
    }
    let fixed: BTreeSet<&str> =
        all.iter().zip(&best.1).filter(|(_, fixed)| **fixed).map(|(word, _)| word.label).collect();
    // A parameter of one value is a fixed segment.
    if fixed.len() + 1 == all.len() { all.iter().map(|word| word.label).collect() } else { fixed }
}

/// The words with their forms, numbered. A word below them stays as it is where several of them have it, in the same depth.
fn read<'a>(words: &[(&'a str, &Node)]) -> (Vec<Word<'a>>, usize) {
    let mut counts: BTreeMap<(usize, &str), usize> = BTreeMap::new();
    for (_, node) in words {
        let mut own: BTreeSet<(usize, &str)> = BTreeSet::new();
        let mut open: Vec<(&Node, usize)> = vec![(node, 0)];
        while let Some((node, depth)) = open.pop() {
            for (label, child) in &node.children {
                own.insert((depth, label));
                if depth + 1 < DEEP {
                    open.push((child, depth + 1));
                }
            }
        }
        own.into_iter().for_each(|label| *counts.entry(label).or_default() += 1);
    }
    let named = |depth: usize, label: &str| -> String {
        let mask = masked(label, Kinds::of(label));
        let is_word = mask.chars().any(char::is_alphabetic) && mask == label;
        let is_shared = counts.get(&(depth, label)).is_some_and(|count| *count > 1);
        if is_word && !is_shared { "*".to_owned() } else { mask }
    };
    let mut numbers: BTreeMap<String, usize> = BTreeMap::new();
    let mut all = Vec::with_capacity(words.len());
    for (label, node) in words {
        let forms = forms(node, &named).into_iter().map(|(form, hits)| {
            let next = numbers.len();
            (*numbers.entry(form).or_insert(next), hits)
        });
        all.push(Word { label, hits: node.total() as f64, forms: forms.collect() });
    }
    (all, numbers.len())
}

/// The forms of address at a node and below it, with their hits; of many, those with the most, and the rest as one.
fn forms(node: &Node, named: &dyn Fn(usize, &str) -> String) -> Vec<(String, f64)> {
    let mut forms: BTreeMap<String, f64> = BTreeMap::new();
    if node.page.total() > 0 {
        forms.insert(String::new(), node.page.total() as f64);
    }
    let mut open: Vec<(String, &Node, usize)> = vec![(String::new(), node, 0)];
    while let Some((above, node, depth)) = open.pop() {
        for (label, child) in &node.children {
            let path = format!("{above}/{}", named(depth, label));
            if depth + 1 == DEEP {
                *forms.entry(path).or_default() += child.total() as f64;
                continue;
            }
            if child.page.total() > 0 {
                *forms.entry(path.clone()).or_default() += child.page.total() as f64;
            }
            open.push((path, child, depth + 1));
        }
    }
    let mut forms: Vec<(String, f64)> = forms.into_iter().collect();
    if forms.len() > MOST_FORMS {
        forms.sort_by(|one, other| other.1.total_cmp(&one.1).then_with(|| one.0.cmp(&other.0)));
        let rest = forms.split_off(MOST_FORMS).into_iter().map(|(_, hits)| hits).sum();
        forms.push(("/…".to_owned(), rest));
    }
    forms
}

/// The bits of a division.
fn cost(words: &[Word<'_>], is_fixed: &[bool], forms: usize) -> f64 {
    let mut bits = 0.0;
    let mut shares: Vec<f64> = Vec::new();
    let mut values: Vec<&Word<'_>> = Vec::new();
    for (word, fixed) in words.iter().zip(is_fixed) {
        if *fixed {
            let own = word.forms.len() as f64;
            bits += ROUTE * own + drawn(word.hits, 0.5 * own, word.forms.iter().map(|(_, hits)| (*hits, 0.5)));
            shares.push(word.hits);
        } else {
            values.push(word);
        }
    }
    if !values.is_empty() {
        let hits: f64 = values.iter().map(|word| word.hits).sum();
        shares.push(hits);
        bits += bits_of_values(&values, hits);
        let mut common = vec![0.0; forms];
        let mut whole = 0.0;
        for word in &values {
            let weight = word.hits.min(MOST_TELLING) / word.hits.max(1.0);
            word.forms.iter().for_each(|(form, hits)| common[*form] += hits * weight);
            whole += word.hits * weight;
        }
        bits += ROUTE * common.iter().filter(|share| **share > 0.0).count() as f64;
        // Many words are alike: asked for once, and nothing below.
        let mut last: Option<(&Word<'_>, f64)> = None;
        for word in values {
            let own = match last {
                Some((alike, own)) if alike.hits == word.hits && alike.forms == word.forms => own,
                _ => {
                    let shares = word.forms.iter().map(|(form, hits)| (*hits, LIKENESS * common[*form] / whole));
                    drawn(word.hits, LIKENESS, shares)
                }
            };
            bits += own;
            last = Some((word, own));
        }
    }
    // Which of the words are fixed.
    let (count, fixed) = (words.len() as f64, is_fixed.iter().filter(|fixed| **fixed).count() as f64);
    bits += (ln_factorial(count) - ln_factorial(fixed) - ln_factorial(count - fixed)) / std::f64::consts::LN_2;
    // The ways in which so many requests for each may come in turn, each number of them as probable as any other.
    let all: f64 = shares.iter().sum();
    let ways = ln_factorial(all + shares.len() as f64 - 1.0)
        - ln_factorial(shares.len() as f64 - 1.0)
        - shares.iter().map(|share| ln_factorial(*share)).sum::<f64>();
    bits + ways / std::f64::consts::LN_2
}

/// The bits that tell in turn which form each of so many requests had, drawn by shares that are not known: hits of each form, and the weight that
/// it has beforehand.
fn drawn(all: f64, weight: f64, forms: impl Iterator<Item = (f64, f64)>) -> f64 {
    let nats = ln_gamma(weight + all) - ln_gamma(weight);
    let nats = nats - forms.map(|(hits, weight)| ln_gamma(weight + hits) - ln_gamma(weight)).sum::<f64>();
    nats / std::f64::consts::LN_2
}

/// The bits that tell the values of a parameter, as they come: with the discount that fits them best.
fn bits_of_values(values: &[&Word<'_>], hits: f64) -> f64 {
    let count = values.len() as f64;
    let nats = DISCOUNTS.into_iter().map(|discount| {
        let open = if discount == 0.0 { openness(count, hits).max(LEAST_OPEN) } else { LEAST_OPEN };
        let new = match discount {
            0.0 => count * open.ln(),
            // The product of θ + d i, for each value before the next new one.
            _ => count * f64::ln(discount) + ln_gamma(open / discount + count) - ln_gamma(open / discount),
        };
        let (mut last, mut own, mut again) = (f64::NAN, 0.0, 0.0);
        for word in values {
            if word.hits != last {
                (last, own) = (word.hits, ln_gamma(word.hits.max(1.0) - discount) - ln_gamma(1.0 - discount));
            }
            again += own;
        }
        ln_gamma(open + hits) - ln_gamma(open) - new - again
    });
    nats.fold(f64::INFINITY, f64::min) / std::f64::consts::LN_2
}

/// The openness for which so many hits are expected to have so many values: `count = θ ln(1 + hits / θ)`.
fn openness(count: f64, hits: f64) -> f64 {
    let (mut low, mut high) = (1e-3_f64, 1e9_f64);
    for _ in 0..60 {
        let middle = (low * high).sqrt();
        if middle * (1.0 + hits / middle).ln() < count { low = middle } else { high = middle }
    }
    low
}

fn ln_factorial(number: f64) -> f64 {
    ln_gamma(number + 1.0)
}

/// The logarithm of the gamma function, for positive arguments (Stirling's series, after going up to 8).
fn ln_gamma(mut x: f64) -> f64 {
    x = x.max(1e-9);
    let mut below = 1.0;
    while x < 8.0 {
        below *= x;
        x += 1.0;
    }
    let square = x * x;
    (x - 0.5) * x.ln() - x
        + 0.918_938_533_204_672_7
        + (1.0 / 12.0 - (1.0 / 360.0 - 1.0 / (1260.0 * square)) / square) / x
        - f64::ln(below)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_gamma_function_is_that_of_factorials() {
        let factorials = [1.0, 1.0, 2.0, 6.0, 24.0, 120.0, 720.0, 5040.0, 40320.0, 362880.0];
        for (n, factorial) in factorials.into_iter().enumerate() {
            assert!((ln_factorial(n as f64) - f64::ln(factorial)).abs() < 1e-8, "{n}");
        }
        assert!((openness(30.0, 1000.0) * (1.0 + 1000.0 / openness(30.0, 1000.0)).ln() - 30.0).abs() < 0.01);
    }

    fn leaf(hits: u64) -> Node {
        let mut node = Node::default();
        node.page.hits.insert("GET".into(), hits);
        node
    }

    fn fixed_of(words: &[(String, Node)]) -> Vec<String> {
        let words: Vec<(&str, &Node)> = words.iter().map(|(label, node)| (label.as_str(), node)).collect();
        fixed(&words).into_iter().map(str::to_owned).collect()
    }

    #[test]
    fn few_wanted_words_are_pages_and_many_are_values() {
        let pages: Vec<(String, Node)> =
            ["history", "people", "visit", "press"].map(|label| (label.to_owned(), leaf(300))).into();
        assert_eq!(fixed_of(&pages), ["history", "people", "press", "visit"]);
        let many: Vec<(String, Node)> =
            (1..=200).map(|rank| (format!("object-{rank}x"), leaf(1 + 100 / rank))).collect();
        assert_eq!(fixed_of(&many), [""; 0]);
        let mut with_page = many;
        with_page.push(("tonight".to_owned(), leaf(900)));
        assert_eq!(fixed_of(&with_page), ["tonight"]);
    }

    #[test]
    fn what_has_the_same_below_it_is_one_parameter() {
        let dome = |hits: u64| {
            let mut node = leaf(hits);
            node.children.insert("instruments".into(), leaf(hits / 2 + 1));
            node
        };
        let mut words: Vec<(String, Node)> = ["north", "south", "east", "west", "old", "new"]
            .iter()
            .map(|label| ((*label).to_owned(), dome(20)))
            .collect();
        assert_eq!(fixed_of(&words), [""; 0]);
        let mut map = leaf(200);
        map.children.insert("print".into(), leaf(50));
        map.children.insert("legend".into(), leaf(50));
        words.push(("map".to_owned(), map));
        assert_eq!(fixed_of(&words), ["map"]);
    }
}
