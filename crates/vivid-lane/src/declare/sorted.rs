//! Sorting by a number without a program of its own for each type that is sorted, of which there would be dozens of kilobytes.

/// The same in the order of their keys; of equal ones the first stays first.
pub(crate) fn sorted<T>(items: Vec<T>, key: impl Fn(&T) -> u32) -> Vec<T> {
    let mut order: Vec<u64> = items.iter().zip(0..).map(|(item, at)| u64::from(key(item)) << 32 | at).collect();
    order.sort_unstable();
    let mut items: Vec<Option<T>> = items.into_iter().map(Some).collect();
    let mut sorted = Vec::with_capacity(items.len());
    // The low half is where it stood.
    sorted.extend(order.iter().filter_map(|one| items.get_mut(usize::try_from(one & 0xffff_ffff).ok()?)?.take()));
    sorted
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::sorted;

    proptest! {
        /// It is the stable sort by that key.
        #[test]
        fn items_are_sorted_by_their_keys(items in prop::collection::vec((0..9_u32, any::<u8>()), 0..40)) {
            let mut wanted = items.clone();
            wanted.sort_by_key(|(key, _)| *key);
            prop_assert_eq!(sorted(items, |(key, _)| *key), wanted);
        }
    }
}
