//! Numbers as decimal text.

use std::cmp::Ordering;

use super::classes::Classes;
use super::dfa::{Dfa, TooLarge};

/// A decimal number, exactly as it is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Decimal {
    negative: bool,
    /// Digits before the point, without leading zeros but for a lone one.
    whole: Vec<u8>,
    /// Digits after the point, without trailing zeros.
    fraction: Vec<u8>,
}

impl Decimal {
    /// Reads canonical text: `7`, `-3`, `0.5`; not `007`, `+7`, `-0` or `1.50`.
    pub(super) fn parse(text: &str) -> Option<Self> {
        let digits = text.strip_prefix('-').unwrap_or(text);
        let (whole, fraction) = digits.split_once('.').map_or((digits, None), |(whole, rest)| (whole, Some(rest)));
        let all_digits = |part: &str| !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit());
        let negative = digits.len() < text.len();
        let is_canonical = all_digits(whole)
            && (whole == "0" || !whole.starts_with('0'))
            && fraction.is_none_or(|rest| all_digits(rest) && !rest.ends_with('0'))
            && !(negative && digits == "0");
        is_canonical.then(|| Self { negative, whole: whole.into(), fraction: fraction.unwrap_or_default().into() })
    }

    /// Whether this is a multiple of the step.
    pub(super) fn is_multiple_of(&self, step: &Step) -> bool {
        let digits = self.whole.iter().chain(&self.fraction);
        let read = digits.fold(0, |rest, digit| (rest * 10 + u64::from(digit - b'0')) % step.units);
        self.fraction.len() <= step.places && step.is_zero(read, self.fraction.len())
    }
}

impl PartialOrd for Decimal {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Decimal {
    fn cmp(&self, other: &Self) -> Ordering {
        let magnitude = || {
            let whole = self.whole.len().cmp(&other.whole.len()).then_with(|| self.whole.cmp(&other.whole));
            whole.then_with(|| self.fraction.cmp(&other.fraction))
        };
        match (self.negative, other.negative) {
            (false, false) => magnitude(),
            (true, true) => magnitude().reverse(),
            (true, false) => Ordering::Less,
            (false, true) => Ordering::Greater,
        }
    }
}

/// How far a number that is being read has come against a bound.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
struct Reading {
    negative: bool,
    /// Digits before the point so far, at most one more than the bound has.
    whole: usize,
    /// Digits after the point so far, at most as many as the bound has; `None` before the point.
    fraction: Option<usize>,
    /// The digits so far against as many of the bound.
    digits: Ordering,
}

/// The decimal texts whose order to the bound is one of those given.
pub(super) fn bounded(bound: &Decimal, orders: &[Ordering]) -> Result<Dfa, TooLarge> {
    let classes = Classes::of_bytes(&|byte| byte.is_ascii_digit() || matches!(byte, b'-' | b'.'));
    let start = Reading { negative: false, whole: 0, fraction: None, digits: Ordering::Equal };
    let length = |at: &Reading| at.whole.cmp(&bound.whole.len());
    let step = |at: &Reading, byte: u8| {
        let mut next = *at;
        match (byte, at.fraction) {
            (b'-', None) if at.whole == 0 && !at.negative => next.negative = true,
            (b'.', None) => {
                next.fraction = Some(0);
                next.digits = length(at).then(at.digits);
            }
            (b'0'..=b'9', None) => {
                let against = bound.whole.get(at.whole).copied();
                next.digits = at.digits.then(against.map_or(Ordering::Equal, |digit| byte.cmp(&digit)));
                next.whole = (at.whole + 1).min(bound.whole.len() + 1);
            }
            (b'0'..=b'9', Some(place)) => {
                let against = bound.fraction.get(place).copied().unwrap_or(b'0');
                next.digits = at.digits.then(byte.cmp(&against));
                next.fraction = Some((place + 1).min(bound.fraction.len()));
            }
            _ => return None,
        }
        Some(next)
    };
    let accepts = |at: &Reading| {
        let (digits, places) = match at.fraction {
            None => (length(at).then(at.digits), 0),
            Some(places) => (at.digits, places),
        };
        // Digits of the bound that the number has no counterpart for are not all zeros.
        let magnitude = digits.then(places.cmp(&bound.fraction.len()));
        let order = match (at.negative, bound.negative) {
            (false, false) => magnitude,
            (true, true) => magnitude.reverse(),
            (true, false) => Ordering::Less,
            (false, true) => Ordering::Greater,
        };
        at.whole > 0 && orders.contains(&order)
    };
    Dfa::explore(classes, start, &step, &accepts)
}

/// The step of `multipleOf`: so many units of the last of so many decimal places.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Step {
    units: u64,
    places: usize,
}

/// The largest step, in units of its last decimal place; the automaton has a state for each unit.
pub(super) const LARGEST_STEP: u64 = 10_000;

impl Step {
    pub(super) fn new(step: &Decimal) -> Option<Self> {
        let digits = step.whole.iter().chain(&step.fraction);
        let units = digits.fold(0u64, |units, digit| units.saturating_mul(10).saturating_add(u64::from(digit - b'0')));
        let places = step.fraction.len();
        ((1..=LARGEST_STEP).contains(&units) && !step.negative && places <= 6).then_some(Self { units, places })
    }

    /// Whether a number is zero modulo the step, whose digits leave that rest and end after so many places.
    fn is_zero(self, rest: u64, places: usize) -> bool {
        (places..self.places).fold(rest, |rest, _| rest * 10 % self.units) == 0
    }
}

/// The decimal texts that are multiples of the step.
pub(super) fn multiples(step: Step) -> Result<Dfa, TooLarge> {
    let classes = Classes::of_bytes(&|byte| byte.is_ascii_digit() || matches!(byte, b'-' | b'.'));
    // The rest so far, and the digits after the point; the sign changes nothing.
    let read = |&(rest, places): &(u64, Option<usize>), byte: u8| match (byte, places) {
        (b'-', None) => Some((rest, None)),
        (b'.', None) => Some((rest, Some(0))),
        (b'0'..=b'9', None) => Some(((rest * 10 + u64::from(byte - b'0')) % step.units, None)),
        (b'0'..=b'9', Some(places)) if places < step.places => {
            Some(((rest * 10 + u64::from(byte - b'0')) % step.units, Some(places + 1)))
        }
        _ => None,
    };
    Dfa::explore(classes, (0, None), &read, &|&(rest, places)| step.is_zero(rest, places.unwrap_or(0)))
}
