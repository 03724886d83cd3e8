//! Records: values by name, in an order.

use std::sync::Arc;

use super::Value;

/// Values by name, in the order in which they were put in. Records are equal when their members are, in
/// whatever order; a blank member is as good as none.
///
/// ```
/// use ricordo::Record;
///
/// let oven: Record = [("name", "Deck A".into()), ("degrees", 230.into())].into_iter().collect();
/// assert_eq!(oven.get("degrees"), Some(&230.into()));
/// ```
#[derive(Clone, Debug, Default)]
pub struct Record {
    members: Vec<(Arc<str>, Value)>,
}

impl Record {
    /// An empty record.
    pub fn new() -> Self {
        Record::default()
    }

    pub(crate) fn with_capacity(members: usize) -> Self {
        Record { members: Vec::with_capacity(members) }
    }

    /// The member of this name.
    pub fn get(&self, name: &str) -> Option<&Value> {
        self.members.iter().find(|(member, _)| **member == *name).map(|(_, value)| value)
    }

    /// The member of this name, looked for first at `index`, where records of one shape mostly have it.
    pub fn get_near(&self, index: usize, name: &str) -> Option<&Value> {
        match self.members.get(index) {
            Some((member, value)) if **member == *name => Some(value),
            _ => self.get(name),
        }
    }

    /// Puts a member in at the end, or in the place of the one that has this name.
    pub fn insert(&mut self, name: impl Into<Arc<str>>, value: Value) {
        let name = name.into();
        match self.members.iter_mut().find(|(member, _)| *member == name) {
            Some((_, old)) => *old = value,
            None => self.members.push((name, value)),
        }
    }

    /// Puts a member in at the end, where the caller knows that no other has this name.
    pub(crate) fn push_new(&mut self, name: Arc<str>, value: Value) {
        self.members.push((name, value));
    }

    /// The members in order.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = (&str, &Value)> {
        self.members.iter().map(|(name, value)| (&**name, value))
    }

    /// How many members there are.
    pub fn len(&self) -> usize {
        self.members.len()
    }

    /// Whether there is no member.
    pub fn is_empty(&self) -> bool {
        self.members.is_empty()
    }

    fn same(&self, other: &Record, same: impl Fn(&Value, &Value) -> bool) -> bool {
        let covers = |left: &Record, right: &Record| {
            left.members.iter().enumerate().all(|(index, (name, value))| {
                same(value, right.get_near(index, name).unwrap_or(&Value::Blank))
            })
        };
        covers(self, other) && covers(other, self)
    }

    /// Whether the members are the same in the sense of [`Value::matches`].
    pub(crate) fn matches(&self, other: &Record) -> bool {
        self.same(other, Value::matches)
    }
}

impl PartialEq for Record {
    fn eq(&self, other: &Self) -> bool {
        self.same(other, PartialEq::eq)
    }
}

impl<N: Into<Arc<str>>> FromIterator<(N, Value)> for Record {
    fn from_iter<I: IntoIterator<Item = (N, Value)>>(members: I) -> Self {
        let mut record = Record::new();
        for (name, value) in members {
            record.insert(name, value);
        }
        record
    }
}

impl IntoIterator for Record {
    type Item = (Arc<str>, Value);
    type IntoIter = std::vec::IntoIter<(Arc<str>, Value)>;

    fn into_iter(self) -> Self::IntoIter {
        self.members.into_iter()
    }
}
