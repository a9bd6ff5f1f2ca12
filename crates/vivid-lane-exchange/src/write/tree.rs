//! What is to be written: values in their order, with comments.

use vivid_lane::declare::{Data, Document, DocumentItem};

/// A table of keys and values.
#[derive(Debug, Default)]
pub(super) struct Branch {
    pub(super) entries: Vec<Leaf>,
    /// Comments after the last key.
    pub(super) at_end: Vec<String>,
}

/// A key with its value, and the comments about it.
#[derive(Debug)]
pub(super) struct Leaf {
    pub(super) key: String,
    pub(super) above: Vec<String>,
    pub(super) beside: Option<String>,
    pub(super) value: Value,
}

#[derive(Debug)]
pub(super) enum Value {
    /// Anything but a table.
    Data(Data),
    Table(Branch),
}

impl Branch {
    pub(super) fn of_document(document: &Document) -> Self {
        Self { at_end: document.comments_at_end().to_vec(), ..Self::of_item(document.root()) }
    }

    // Each format bounds how deep its values are nested.
    fn of_item(item: DocumentItem<'_>) -> Self {
        let entries = item.entries().map(|(key, item)| Leaf {
            key: key.name().to_owned(),
            above: key.above().to_vec(),
            beside: key.beside().map(str::to_owned),
            value: if item.is_table() { Value::Table(Self::of_item(item)) } else { Value::Data(item.to_data()) },
        });
        Self { entries: entries.collect(), at_end: Vec::new() }
    }

    pub(super) fn of_data(data: &Data) -> Self {
        let entries: &[(String, Data)] = match data {
            Data::Table(entries) => entries,
            _ => &[],
        };
        let leaf = |(key, value): &(String, Data)| Leaf {
            key: key.clone(),
            above: Vec::new(),
            beside: None,
            value: match value {
                Data::Table(_) => Value::Table(Self::of_data(value)),
                other => Value::Data(other.clone()),
            },
        };
        Self { entries: entries.iter().map(leaf).collect(), at_end: Vec::new() }
    }

    /// How many comments there are.
    pub(super) fn comments(&self) -> usize {
        let below = |leaf: &Leaf| match &leaf.value {
            Value::Table(branch) => branch.comments(),
            Value::Data(_) => 0,
        };
        let all = self.entries.iter().map(|leaf| {
            leaf.above.iter().filter(|line| !line.is_empty()).count() + usize::from(leaf.beside.is_some()) + below(leaf)
        });
        all.sum::<usize>() + self.at_end.len()
    }

    /// All comments below, for a form that has no room for them in their places.
    pub(super) fn all_comments(&self) -> Vec<&str> {
        let mut all = Vec::new();
        for leaf in &self.entries {
            all.extend(leaf.above.iter().map(String::as_str).filter(|line| !line.is_empty()));
            all.extend(leaf.beside.as_deref());
            if let Value::Table(branch) = &leaf.value {
                all.extend(branch.all_comments());
            }
        }
        all
    }
}

impl Value {
    /// All comments below.
    pub(super) fn comments(&self) -> Vec<&str> {
        match self {
            Self::Table(branch) => branch.all_comments(),
            Self::Data(_) => Vec::new(),
        }
    }

    /// The value without comments.
    pub(super) fn to_data(&self) -> Data {
        match self {
            Self::Data(data) => data.clone(),
            Self::Table(branch) => {
                Data::Table(branch.entries.iter().map(|leaf| (leaf.key.clone(), leaf.value.to_data())).collect())
            }
        }
    }
}
