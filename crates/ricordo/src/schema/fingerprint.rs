//! Fingerprints: whether data was made for the same schema.

use std::fmt::Write;

use crate::value::HashedMap;

use super::{Kind, OffsetRule, PartId, RecordId, Schema};

impl Schema {
    /// A number that tells schemas apart by what fits them: the names of fields, and what kinds of values
    /// they take. Rules, checks and formats make no difference. It is the same on every platform.
    pub fn fingerprint(&self) -> u64 {
        let mut outline = Outline { schema: self, records: HashedMap::default(), text: String::new() };
        outline.part(self.root());
        // FNV-1a.
        outline
            .text
            .bytes()
            .fold(0xcbf2_9ce4_8422_2325, |hash, byte| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3))
    }
}

/// The content of places, as text. A record type is written where it stands first, and named by its number after that.
struct Outline<'a> {
    schema: &'a Schema,
    records: HashedMap<RecordId, usize>,
    text: String,
}

impl Outline<'_> {
    fn part(&mut self, part: PartId) {
        let part = self.schema.part(part);
        for (is_so, mark) in [(part.nullable, '?'), (part.local, '~'), (part.secret, '*')] {
            self.text.extend(is_so.then_some(mark));
        }
        // These words are part of the format of drafts, whatever messages call the kinds.
        let word = match &part.kind {
            Kind::Record(record) => return self.record(*record),
            Kind::List(list) => {
                self.text.push('[');
                self.part(self.schema.item(*list));
                "]"
            }
            Kind::Text => "text",
            Kind::Integer => "integer",
            Kind::Decimal => "decimal",
            Kind::Flag => "flag",
            Kind::Date => "date",
            Kind::Time => "time",
            Kind::DateTime(OffsetRule::Always) => "instant",
            Kind::DateTime(_) => "date-time",
            Kind::Choice(_) => "choice",
        };
        self.text.push_str(word);
    }

    fn record(&mut self, record: RecordId) {
        let number = self.records.len();
        if let Some(known) = self.records.get(&record) {
            let _ = write!(self.text, "#{known}");
            return;
        }
        self.records.insert(record, number);
        self.text.push('{');
        for (name, field) in self.schema.fields(record) {
            let _ = write!(self.text, "{name:?}:");
            self.part(field);
            self.text.push(',');
        }
        for variant in self.schema.variants(record) {
            let _ = write!(self.text, "{:?}=", variant.tag().to_text());
            self.part(variant.part());
        }
        self.text.push('}');
    }
}
