//! The functions that formulas can call.

use crate::schema::nearest;

/// A function's name and parameters.
struct Signature {
    name: &'static str,
    /// The names of the parameters, as the standard has them.
    parameters: &'static [&'static str],
    /// The number of those that can be left out, from the end.
    optional: usize,
    /// Whether the last can be given any number of times.
    is_variadic: bool,
}

macro_rules! functions {
    ($($variant:ident, $name:literal, $parameters:expr, $rest:expr;)*) => {
        /// A built-in function (DMN 1.5, 10.3.4). [`functions`] lists them.
        #[derive(Clone, Copy, Debug, PartialEq, Eq)]
        #[allow(missing_docs, reason = "the standard describes them, and so does the table in the docs")]
        #[non_exhaustive]
        pub enum Function {
            $($variant,)*
        }

        const ALL: &[Function] = &[$(Function::$variant,)*];

        impl Function {
            fn signature(self) -> &'static Signature {
                match self {
                    $(Function::$variant => {
                        const SIGNATURE: Signature = Signature {
                            name: $name,
                            parameters: &$parameters,
                            optional: match $rest {
                                Rest::Optional(optional) => optional,
                                Rest::Needed | Rest::Repeated => 0,
                            },
                            is_variadic: matches!($rest, Rest::Repeated),
                        };
                        &SIGNATURE
                    })*
                }
            }
        }
    };
}

/// The rule for the last parameters of a function.
enum Rest {
    /// All are needed.
    Needed,
    /// So many can be left out.
    Optional(usize),
    /// The last can be given any number of times: a list, or its items one by one.
    Repeated,
}

functions! {
    Not, "not", ["negand"], Rest::Needed;
    NumberOf, "number", ["from", "grouping separator", "decimal separator"], Rest::Optional(2);
    StringOf, "string", ["from"], Rest::Needed;
    DateOf, "date", ["from", "month", "day"], Rest::Optional(2);
    TimeOf, "time", ["from", "minute", "second"], Rest::Optional(2);
    DateAndTime, "date and time", ["from", "time"], Rest::Optional(1);
    DurationOf, "duration", ["from"], Rest::Needed;
    Abs, "abs", ["n"], Rest::Needed;
    Floor, "floor", ["n", "scale"], Rest::Optional(1);
    Ceiling, "ceiling", ["n", "scale"], Rest::Optional(1);
    DecimalOf, "decimal", ["n", "scale"], Rest::Needed;
    RoundUp, "round up", ["n", "scale"], Rest::Needed;
    RoundDown, "round down", ["n", "scale"], Rest::Needed;
    RoundHalfUp, "round half up", ["n", "scale"], Rest::Needed;
    RoundHalfDown, "round half down", ["n", "scale"], Rest::Needed;
    Modulo, "modulo", ["dividend", "divisor"], Rest::Needed;
    Sqrt, "sqrt", ["number"], Rest::Needed;
    Odd, "odd", ["number"], Rest::Needed;
    Even, "even", ["number"], Rest::Needed;
    Substring, "substring", ["string", "start position", "length"], Rest::Optional(1);
    StringLength, "string length", ["string"], Rest::Needed;
    UpperCase, "upper case", ["string"], Rest::Needed;
    LowerCase, "lower case", ["string"], Rest::Needed;
    SubstringBefore, "substring before", ["string", "match"], Rest::Needed;
    SubstringAfter, "substring after", ["string", "match"], Rest::Needed;
    Contains, "contains", ["string", "match"], Rest::Needed;
    StartsWith, "starts with", ["string", "match"], Rest::Needed;
    EndsWith, "ends with", ["string", "match"], Rest::Needed;
    Matches, "matches", ["input", "pattern", "flags"], Rest::Optional(1);
    Replace, "replace", ["input", "pattern", "replacement", "flags"], Rest::Optional(1);
    Split, "split", ["string", "delimiter"], Rest::Needed;
    StringJoin, "string join", ["list", "delimiter"], Rest::Optional(1);
    ListContains, "list contains", ["list", "element"], Rest::Needed;
    Count, "count", ["list"], Rest::Needed;
    Min, "min", ["list"], Rest::Repeated;
    Max, "max", ["list"], Rest::Repeated;
    Sum, "sum", ["list"], Rest::Repeated;
    Mean, "mean", ["list"], Rest::Repeated;
    Median, "median", ["list"], Rest::Repeated;
    Product, "product", ["list"], Rest::Repeated;
    All, "all", ["list"], Rest::Repeated;
    Any, "any", ["list"], Rest::Repeated;
    Append, "append", ["list", "item"], Rest::Repeated;
    Concatenate, "concatenate", ["list"], Rest::Repeated;
    Sublist, "sublist", ["list", "start position", "length"], Rest::Optional(1);
    InsertBefore, "insert before", ["list", "position", "newItem"], Rest::Needed;
    Remove, "remove", ["list", "position"], Rest::Needed;
    Reverse, "reverse", ["list"], Rest::Needed;
    IndexOf, "index of", ["list", "match"], Rest::Needed;
    Union, "union", ["list"], Rest::Repeated;
    DistinctValues, "distinct values", ["list"], Rest::Needed;
    Flatten, "flatten", ["list"], Rest::Needed;
    Sort, "sort", ["list"], Rest::Needed;
    IsDefined, "is defined", ["value"], Rest::Needed;
    DayOfWeek, "day of week", ["date"], Rest::Needed;
    DayOfYear, "day of year", ["date"], Rest::Needed;
    MonthOfYear, "month of year", ["date"], Rest::Needed;
    WeekOfYear, "week of year", ["date"], Rest::Needed;
    Now, "now", [], Rest::Needed;
    Today, "today", [], Rest::Needed;
}

/// Functions of the standard that formulas do not have.
const LEFT_OUT: &[&str] = &[
    "years and months duration",
    "list replace",
    "stddev",
    "mode",
    "log",
    "exp",
    "is",
    "before",
    "after",
    "meets",
    "met by",
    "overlaps",
    "overlaps before",
    "overlaps after",
    "finishes",
    "finished by",
    "includes",
    "during",
    "starts",
    "started by",
    "coincides",
    "context",
    "context put",
    "context merge",
    "get value",
    "get entries",
    "range",
    "random",
];

/// All functions that formulas can call.
pub fn functions() -> impl ExactSizeIterator<Item = Function> {
    ALL.iter().copied()
}

impl Function {
    /// The function of a name, with one space between its words.
    pub fn named(name: &str) -> Option<Self> {
        functions().find(|function| function.name() == name)
    }

    /// The name: `round half up`.
    pub fn name(self) -> &'static str {
        self.signature().name
    }

    /// The names of the parameters, as arguments can be named.
    pub fn parameters(self) -> &'static [&'static str] {
        self.signature().parameters
    }

    /// The names of the parameters in another form of the function, all of which are needed: `date(year: 2026, month: 12, day: 1)`.
    pub fn other_form(self) -> Option<&'static [&'static str]> {
        match self {
            Function::DateOf => Some(&["year", "month", "day"]),
            Function::TimeOf => Some(&["hour", "minute", "second"]),
            Function::DateAndTime => Some(&["date", "time"]),
            _ => None,
        }
    }

    /// The number of parameters that can be left out, from the end.
    pub fn optional(self) -> usize {
        self.signature().optional
    }

    /// Returns whether the last parameter can be given any number of times: `max(1, 2, 3)`.
    pub fn is_variadic(self) -> bool {
        self.signature().is_variadic
    }

    /// Returns whether it can be called with so many arguments.
    pub(super) fn takes(self, arguments: usize) -> bool {
        let most = self.parameters().len();
        let least = most - self.optional();
        arguments >= least && (self.is_variadic() || arguments <= most)
    }
}

/// Why there is no function of a name, and the nearest that there is.
pub(super) fn unknown(name: &str) -> (String, Option<&'static str>) {
    if LEFT_OUT.contains(&name) {
        return (format!("formulas do not have the function “{name}”"), None);
    }
    let near = nearest(name, functions().map(Function::name));
    (format!("there is no function “{name}”"), near)
}

/// The number of words in the longest name of a function.
pub(super) const MOST_WORDS: usize = 4;

/// Returns whether a text is the name of a function, here or in the standard.
pub(super) fn is_known(name: &str) -> bool {
    Function::named(name).is_some() || LEFT_OUT.contains(&name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_name_has_more_words_than_the_parser_joins() {
        let names = functions().map(Function::name).chain(LEFT_OUT.iter().copied());
        assert_eq!(names.map(|name| name.split(' ').count()).max(), Some(MOST_WORDS));
    }
}
