//! Declaring rules: what is said of places, apart from their values.

use super::Form;
use super::look::{RuleView, View};
use super::targets::{each_row, of_form, of_row, place};
use crate::engine::{Refused, Rule};
use crate::model::{Gives, Locate, Model};

/// Declares a method for a rule, and one for the same rule in each row of a list.
macro_rules! rules {
    ($(
        $(#[$docs:meta])* $name:ident($($argument:ident: $type:ty)?) $rule:expr;
        $(#[$each_docs:meta])* $each:ident;
    )*) => {$(
        $(#[$docs])*
        pub fn $name<L: Locate<M>, B: Gives<bool>>(
            &self,
            at: L,
            $($argument: $type,)?
            test: impl Fn(&View<'_, M>) -> B + Send + Sync + 'static,
        ) -> Result<(), Refused> {
            let target = place(at)?;
            self.declare(|engine| engine.rule(&target, $rule, of_form::<_, bool, _>(test)))
        }

        $(#[$each_docs])*
        pub fn $each<R, L, I, B>(
            &self,
            list: L,
            field: I,
            $($argument: $type,)?
            test: impl Fn(&RuleView<'_, M, R>) -> B + Send + Sync + 'static,
        ) -> Result<(), Refused>
        where
            R: Model,
            L: Locate<M, Target = Vec<R>>,
            I: Locate<R>,
            B: Gives<bool>,
        {
            let target = each_row(list, field)?;
            self.declare(|engine| engine.rule(&target, $rule, of_row::<_, _, bool, _>(test)))
        }
    )*};
}

impl<M: 'static> Form<M> {
    rules! {
        /// Declares whether a place counts, by a function of the form; `None` counts as true. A place that is not
        /// relevant, and all in it, keeps its value, but is not checked, and calculations see nothing in it. Give it a type
        /// that may be empty, so that the record can be parsed without it.
        ///
        /// As with [`Form::calculate`], what the function looks at is taken down, and it is run again when something of
        /// that is another. Declare rules before anything in the form is changed.
        ///
        /// ```
        /// # use ricordo::{Form, Model};
        /// # #[derive(Model)] struct Batch { sourdough: bool, #[model(required)] hours: Option<u32> }
        /// let form = Form::new(&Batch { sourdough: true, hours: None })?;
        /// let batch = ricordo::at::<Batch>();
        /// form.relevant(batch.hours(), move |it| it.get(batch.sourdough()))?;
        /// assert!(!form.is_valid());
        /// form.set(batch.sourdough(), false)?;
        /// assert!(form.is_valid() && !form.place(batch.hours())?.is_relevant());
        /// # Ok::<(), Box<dyn std::error::Error>>(())
        /// ```
        relevant() Rule::Relevant;
        /// Declares whether a place in each row of a list counts, or, with the path of the row itself, whether the row
        /// does. See [`Form::relevant`].
        relevant_each;
        /// Declares whether nobody may type into a place, or anything in it, by a function of the form; `None` counts as
        /// false. Otherwise it is as [`Form::relevant`] has it.
        readonly() Rule::Readonly;
        /// Declares whether nobody may type into a place in each row of a list. See [`Form::readonly`].
        readonly_each;
        /// Declares whether an empty value of a place is an error, by a function of the form; `None` counts as false. A
        /// place that is required anyway stays so. Otherwise it is as [`Form::relevant`] has it.
        required() Rule::Required;
        /// Declares whether an empty value of a place in each row of a list is an error. See [`Form::required`].
        required_each;
        /// Declares what must be so for a place, by a function of the form: where that gives false, the place has an
        /// error with this message. `None` passes, so that what is not filled in yet is not wrong. A place may have
        /// several, whose findings come in the order in which they were declared. Otherwise it is as [`Form::relevant`]
        /// has it.
        ///
        /// ```
        /// # use ricordo::{Form, Model};
        /// # #[derive(Model)] struct Batch { loaves: u32, in_oven: u32 }
        /// let form = Form::new(&Batch { loaves: 30, in_oven: 24 })?;
        /// let batch = ricordo::at::<Batch>();
        /// form.constraint(batch.loaves(), "More than the oven holds.", move |it| {
        ///     it.number(batch.loaves()).at_most(it.number(batch.in_oven()))
        /// })?;
        /// assert_eq!(form.place(batch.loaves())?.findings()[0].message, "More than the oven holds.");
        /// form.enter(batch.in_oven(), "36")?;
        /// assert!(form.is_valid());
        /// # Ok::<(), Box<dyn std::error::Error>>(())
        /// ```
        constraint(message: &str) constraint(message, false);
        /// Declares what must be so for a place in each row of a list. See [`Form::constraint`].
        constraint_each;
        /// Declares what is doubtful about a place if it is not so: a warning, which a person sees, and which does not
        /// make the form invalid. Otherwise it is as [`Form::constraint`] has it.
        warning(message: &str) constraint(message, true);
        /// Declares what is doubtful about a place in each row of a list if it is not so. See [`Form::warning`].
        warning_each;
    }
}

fn constraint(message: &str, is_warning: bool) -> Rule {
    Rule::Constraint { message: message.to_owned(), is_warning }
}
