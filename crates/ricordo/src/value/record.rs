//! Records: values by name, in an order.

use std::ops::Deref;
use std::sync::Arc;

use super::{Value, sort_by_key};

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
    // Behind a pointer, so that a value takes 24 bytes.
    #[allow(clippy::box_collection, reason = "a thin pointer keeps values small")]
    members: Box<Vec<(Name, Value)>>,
}

/// The name of a member: part of the program, or shared with others of the same schema.
#[derive(Clone, Debug)]
pub(crate) enum Name {
    Static(&'static str),
    Shared(Arc<str>),
}

impl Name {
    /// Returns whether it is this name. Mostly both are the same text in memory.
    pub(crate) fn is(&self, other: &Arc<str>) -> bool {
        matches!(self, Name::Shared(name) if Arc::ptr_eq(name, other)) || **self == **other
    }
}

impl Deref for Name {
    type Target = str;

    fn deref(&self) -> &str {
        match self {
            Name::Static(name) => name,
            Name::Shared(name) => name,
        }
    }
}

impl From<&'static str> for Name {
    fn from(name: &'static str) -> Self {
        Name::Static(name)
    }
}

impl From<Arc<str>> for Name {
    fn from(name: Arc<str>) -> Self {
        Name::Shared(name)
    }
}

impl Record {
    /// An empty record.
    pub fn new() -> Self {
        Record::default()
    }

    pub(crate) fn with_capacity(members: usize) -> Self {
        Record { members: Box::new(Vec::with_capacity(members)) }
    }

    /// The member of this name.
    pub fn get(&self, name: &str) -> Option<&Value> {
        self.members.iter().find(|(member, _)| **member == *name).map(|(_, value)| value)
    }

    /// The member of this name, to be changed.
    pub(crate) fn get_mut(&mut self, name: &str) -> Option<&mut Value> {
        self.members.iter_mut().find(|(member, _)| **member == *name).map(|(_, value)| value)
    }

    /// Takes out the member of this name. The others keep their order.
    pub(crate) fn remove(&mut self, name: &str) -> Option<Value> {
        let index = self.members.iter().position(|(member, _)| **member == *name)?;
        Some(self.members.remove(index).1)
    }

    /// The member of this name, looked for first at `index`, where records of one schema mostly have it.
    pub fn get_near(&self, index: usize, name: &str) -> Option<&Value> {
        match self.members.get(index) {
            Some((member, value)) if **member == *name => Some(value),
            _ => self.get(name),
        }
    }

    /// Puts a member in at the end, or in the place of the one that has this name.
    pub fn insert(&mut self, name: impl Into<Arc<str>>, value: Value) {
        let name = name.into();
        match self.members.iter_mut().find(|(member, _)| **member == *name) {
            Some((_, old)) => *old = value,
            None => self.members.push((Name::Shared(name), value)),
        }
    }

    /// Puts a member in at the end, where the caller knows that no other has this name.
    pub(crate) fn push_new(&mut self, name: impl Into<Name>, value: Value) {
        self.members.push((name.into(), value));
    }

    /// Replaces each member, of which the index, the name and the value are given, in place; stops at an error.
    pub(crate) fn try_map<E>(
        mut self,
        mut replace: impl FnMut(usize, &str, Value) -> Result<(Arc<str>, Value), E>,
    ) -> Result<Record, E> {
        for (index, member) in self.members.iter_mut().enumerate() {
            let (name, value) = replace(index, &member.0, std::mem::take(&mut member.1))?;
            *member = (Name::Shared(name), value);
        }
        Ok(self)
    }

    /// The members by their ranks, without the blank ones.
    pub(crate) fn in_order(mut self, ranks: &[usize]) -> Record {
        if !ranks.is_sorted() {
            let mut ranked: Vec<_> = ranks.iter().zip(*self.members).collect();
            sort_by_key(&mut ranked, |(rank, _)| **rank);
            *self.members = ranked.into_iter().map(|(_, member)| member).collect();
        }
        self.members.retain(|(_, value)| *value != Value::Blank);
        self
    }

    /// The members, with names that are shared.
    pub(crate) fn into_members(self) -> impl Iterator<Item = (Name, Value)> {
        self.members.into_iter()
    }

    /// The members in order, with names that are shared.
    pub(crate) fn members(&self) -> impl Iterator<Item = &(Name, Value)> {
        self.members.iter()
    }

    /// The members in order.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = (&str, &Value)> {
        self.members.iter().map(|(name, value)| (&**name, value))
    }

    /// Returns the number of members.
    pub fn len(&self) -> usize {
        self.members.len()
    }

    /// Returns whether there is no member.
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

    /// Returns whether the members are the same in the sense of [`Value::matches`].
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
    type IntoIter = IntoIter;

    fn into_iter(self) -> IntoIter {
        IntoIter(self.members.into_iter())
    }
}

/// The members of a record in order, taken out of it.
#[derive(Debug)]
pub struct IntoIter(std::vec::IntoIter<(Name, Value)>);

impl Iterator for IntoIter {
    type Item = (Arc<str>, Value);

    fn next(&mut self) -> Option<Self::Item> {
        let (name, value) = self.0.next()?;
        let name = match name {
            Name::Static(name) => name.into(),
            Name::Shared(name) => name,
        };
        Some((name, value))
    }
}
