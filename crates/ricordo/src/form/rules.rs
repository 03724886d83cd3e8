//! Rules of record types.

use std::any::type_name;
use std::fmt;
use std::marker::PhantomData;
use std::rc::{Rc, Weak};
use std::sync::Arc;

use super::Form;
use super::aggregate::Aggregate;
use super::core::Core;
use super::view::RuleView;
use crate::engine::{AddedRules, FlagRule, RuleOf, RuleSpec, RuleSpecs};
use crate::model::{HoldsRows, Locate, Model, RuleResult, Spot};
use crate::schema::{Attachment, Choices, Error};
use crate::settle::Function;
use crate::value::Value;

/// The rules of a record type `M`: what depends on what, and what must hold. Every form with such a record has them,
/// wherever the record is.
///
/// A function that declares them is named on the type, with `#[model(rules = …)]`. A rule is about a place and has a
/// function, which is given the record. Reads are tracked: the function runs again only when something it read has changed,
/// at most once in a transaction, and after everything it depends on. The order of rules makes no difference.
///
/// ```
/// use ricordo::{Decimal, Form, Model, Rules, at};
///
/// #[derive(Model)]
/// #[model(rules = Batch::rules)]
/// struct Batch { loaves: u32, flour: Option<Decimal>, rows: Vec<Ingredient>, cost: Option<Decimal> }
///
/// impl Batch {
///     fn rules(rules: &mut Rules<Self>) {
///         let (batch, row) = (at::<Self>(), at::<Ingredient>());
///         rules.aggregate(batch.cost(), batch.rows().sum(row.cost()));
///         // Rules of rows that read the record around them.
///         rules.each(batch.rows(), |rules| {
///             rules.calculate(row.share(), move |it| it.number(row.grams()) * 100 / it.form().number(batch.flour()));
///         });
///     }
/// }
///
/// #[derive(Model)]
/// #[model(rules = Ingredient::rules)]
/// struct Ingredient { grams: u32, price: u32, cost: Option<Decimal>, share: Option<Decimal> }
///
/// impl Ingredient {
///     /// These hold for every ingredient.
///     fn rules(rules: &mut Rules<Self>) {
///         let row = at::<Self>();
///         rules.calculate(row.cost(), move |it| it.number(row.grams()) * it.number(row.price()) / 1000);
///     }
/// }
///
/// let salt = Ingredient { grams: 500, price: 2, cost: None, share: None };
/// let form = Form::new(&Batch { loaves: 10, flour: Some(2_000.into()), rows: vec![salt], cost: None })?;
/// assert!(!form.is_dirty());
/// assert_eq!(form.get(at::<Batch>().cost())?, Some(1.into()));
/// assert_eq!(form.get(at::<Batch>().rows().at(0).share())?, Some(25.into()));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// A rule that fails refuses nobody's action: where its function panics, or returns what does not fit, the place is blank, with
/// the finding `not_computable`, until the function succeeds.
///
/// In WebAssembly a panic cannot be caught, and ends the program. [`Number`](crate::Number), which
/// [`View::number`](crate::View::number) gives, makes none necessary: where integers overflow or are divided by zero, it is
/// blank.
///
/// Within [`each`](Rules::each), `R` is the type of the rows.
pub struct Rules<M, R = M> {
    rows: Vec<Spot>,
    /// The id of the constraint that comes next.
    name: Option<Arc<str>>,
    specs: RuleSpecs,
    types: PhantomData<fn() -> (M, R)>,
}

impl<M, R> fmt::Debug for Rules<M, R> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Rules").field("declared", &self.specs.len()).finish_non_exhaustive()
    }
}

/// Declares methods for rules that give a flag.
macro_rules! flags {
    ($($(#[$docs:meta])* $name:ident($($argument:ident: $type:ty)?) $rule:expr;)*) => {$(
        $(#[$docs])*
        pub fn $name<L: Locate<R>, G: RuleResult<bool>>(
            &mut self,
            at: L,
            $($argument: $type,)?
            function: impl Fn(&RuleView<'_, M, R>) -> G + Send + Sync + 'static,
        ) {
            self.add(at, RuleOf::Flag($rule, function_of::<M, R, bool, G>(function)));
        }
    )*};
}

impl<M: 'static, R: 'static> Rules<M, R> {
    fn within(rows: Vec<Spot>) -> Self {
        Rules { rows, name: None, specs: RuleSpecs::default(), types: PhantomData }
    }

    fn add<L: Locate<R>>(&mut self, at: L, of: RuleOf) {
        if let Some(name) = self.name.take() {
            let problem = format!("“{name}” names what is not a constraint");
            self.specs.push(Err(Error::schema(problem)));
        }
        let rows = self.rows.clone();
        self.specs.push(at.spot().map(|at| RuleSpec { rows, at, of, text: None }));
    }

    /// A field is calculated. Nobody else can set it: neither a person nor a program.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Rules, at};
    /// # #[derive(Model)] #[model(rules = Batch::rules)] struct Batch { loaves: u32, grams: u32, dough: Option<u32> }
    /// # impl Batch { fn rules(rules: &mut Rules<Self>) { let batch = at::<Self>();
    /// rules.calculate(batch.dough(), move |it| it.number(batch.loaves()) * it.number(batch.grams()));
    /// # } }
    /// let form = Form::new(&Batch { loaves: 12, grams: 900, dough: None })?;
    /// assert_eq!(form.get(at::<Batch>().dough())?, Some(10_800));
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn calculate<L: Locate<R>, G: RuleResult<L::Target>>(
        &mut self,
        at: L,
        function: impl Fn(&RuleView<'_, M, R>) -> G + Send + Sync + 'static,
    ) {
        self.add(at, RuleOf::Calculated(function_of::<M, R, L::Target, G>(function)));
    }

    /// A field is suggested a value. It has that until somebody overrides it, and again once the override is given up. In
    /// data, a value that is not the one suggested is an override.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Rules, at};
    /// # #[derive(Model)] #[model(rules = Batch::rules)] struct Batch { loaves: u32, grams: u32, dough: Option<u32> }
    /// # impl Batch { fn rules(rules: &mut Rules<Self>) { let batch = at::<Self>();
    /// rules.suggest(batch.dough(), move |it| it.number(batch.loaves()) * 1_000);
    /// # } }
    /// let form = Form::new(&Batch { loaves: 12, grams: 900, dough: None })?;
    /// assert_eq!(form.get(at::<Batch>().dough())?, Some(12_000));
    /// form.enter(at::<Batch>().dough(), "11000")?;
    /// assert!(form.place(at::<Batch>().dough())?.is_overridden());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn suggest<L: Locate<R>, G: RuleResult<L::Target>>(
        &mut self,
        at: L,
        function: impl Fn(&RuleView<'_, M, R>) -> G + Send + Sync + 'static,
    ) {
        self.add(at, RuleOf::Suggested(function_of::<M, R, L::Target, G>(function)));
    }

    /// A field shows an aggregate over the rows of lists: `batch.rows().sum(row.cost())`. It is kept up by difference, exactly
    /// in every order of edits, at a cost that does not depend on how many rows there are.
    pub fn aggregate<L: Locate<R>>(&mut self, at: L, over: Aggregate<R>) {
        match over.into_aggregate() {
            Ok(aggregate) => self.add(at, RuleOf::Aggregated(aggregate)),
            Err(refused) => self.specs.push(Err(refused)),
        }
    }

    /// Two fields of a record calculate each other, each given by its path and a function. The one that was set last leads,
    /// and the other follows whenever anything its function read has changed; while the leading one is empty, so is the
    /// other. Handing the lead over changes no value by itself.
    pub fn counterparts<A: Locate<R>, B: Locate<R>, F: RuleResult<A::Target>, G: RuleResult<B::Target>>(
        &mut self,
        (one, of_one): (A, impl Fn(&RuleView<'_, M, R>) -> F + Send + Sync + 'static),
        (other, of_other): (B, impl Fn(&RuleView<'_, M, R>) -> G + Send + Sync + 'static),
    ) {
        let of_one = function_of::<M, R, A::Target, F>(of_one);
        let of_other = function_of::<M, R, B::Target, G>(of_other);
        match other.spot() {
            Ok(other) => self.add(one, RuleOf::Counterpart { of_one, other, of_other, text_of_other: None }),
            Err(refused) => self.specs.push(Err(refused)),
        }
    }

    /// Computes the choices of a field, where they depend on other places. `None` leaves the choices that it has otherwise. A value
    /// that is no longer offered stays, with the finding `not_listed`.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Rules, at, schema::{Choice, Choices}};
    /// #[derive(Model)]
    /// #[model(rules = Batch::rules)]
    /// struct Batch { site: String, oven: String }
    ///
    /// impl Batch {
    ///     fn rules(rules: &mut Rules<Self>) {
    ///         let batch = at::<Self>();
    ///         rules.choices(batch.oven(), move |it| match it.get(batch.site())?.as_str() {
    ///             "mill" => Some(Choices::new([Choice::new("m1").label("Stone oven")])),
    ///             _ => Some(Choices::new([Choice::new("s1").label("Deck 1"), Choice::new("s2").label("Deck 2")])),
    ///         });
    ///     }
    /// }
    ///
    /// let batch = at::<Batch>();
    /// let form = Form::new(&Batch { site: "shop".into(), oven: "s1".into() })?;
    /// assert_eq!(form.place(batch.oven())?.display(), "Deck 1");
    /// form.enter(batch.site(), "mill")?;
    /// assert_eq!(form.findings()[0].message, "“s1” is not one of: Stone oven.");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn choices<L: Locate<R>, C: Into<Option<Choices>>>(
        &mut self,
        at: L,
        function: impl Fn(&RuleView<'_, M, R>) -> C + Send + Sync + 'static,
    ) {
        self.add(at, RuleOf::Chosen(Arc::new(move |view, form| function(&RuleView::new(view, form)).into())));
    }

    flags! {
        /// Whether a place is relevant; blank counts as true. A place that is not relevant keeps its value, but is not
        /// checked, and rules read a blank instead. Its type must have an empty value, or a default.
        relevant() FlagRule::Relevant;
        /// Whether a person cannot change a place, or anything in it; blank counts as false.
        readonly() FlagRule::Readonly;
        /// Whether a place must not be empty; blank counts as false. A place that is required anyway stays so.
        required() FlagRule::Required;
    }

    /// Gives the constraint that follows an id, by which a form can suppress it ([`Form::suppress`]) or word its findings otherwise
    /// ([`Finding::id`](crate::Finding::id)). Several constraints may have one id.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Rules, at};
    /// #[derive(Model)]
    /// #[model(rules = Batch::rules)]
    /// struct Batch { loaves: u32 }
    ///
    /// impl Batch {
    ///     fn rules(rules: &mut Rules<Self>) {
    ///         let loaves = at::<Self>().loaves();
    ///         rules.named("many").warn_unless(loaves, "That is a lot.", move |it| it.number(loaves).at_most(500));
    ///     }
    /// }
    ///
    /// let form = Form::new(&Batch { loaves: 900 })?;
    /// assert_eq!(form.findings()[0].id.as_deref(), Some("many"));
    /// form.suppress("many")?;
    /// assert!(form.findings().is_empty());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn named(&mut self, id: &str) -> &mut Self {
        self.name = Some(id.into());
        self
    }

    /// Adds a constraint on a place: where the function gives false, the place has an error with this message. Blank passes, so that
    /// what is not filled in yet is not wrong. A place may have several.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Rules, at};
    /// # #[derive(Model)] #[model(rules = Batch::rules)] struct Batch { loaves: u32, grams: u32, dough: Option<u32> }
    /// # impl Batch { fn rules(rules: &mut Rules<Self>) { let batch = at::<Self>();
    /// rules.constraint(batch.loaves(), "Bake an even number.", move |it| it.get(batch.loaves()).map(|n| n % 2 == 0));
    /// # } }
    /// let form = Form::new(&Batch { loaves: 12, grams: 900, dough: None })?;
    /// form.enter(at::<Batch>().loaves(), "13")?;
    /// assert_eq!(form.findings()[0].message, "Bake an even number.");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn constraint<L: Locate<R>, G: RuleResult<bool>>(
        &mut self,
        at: L,
        message: &str,
        function: impl Fn(&RuleView<'_, M, R>) -> G + Send + Sync + 'static,
    ) {
        self.add_constraint(at, message, false, function_of::<M, R, bool, G>(function));
    }

    /// Adds a constraint that only warns: where the function gives false, the user sees this message as a warning, and the form stays
    /// valid. Blank passes.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Rules, at};
    /// # #[derive(Model)] #[model(rules = Batch::rules)] struct Batch { loaves: u32, grams: u32, dough: Option<u32> }
    /// # impl Batch { fn rules(rules: &mut Rules<Self>) { let batch = at::<Self>();
    /// rules.warn_unless(batch.loaves(), "A large batch.", move |it| it.number(batch.loaves()).at_most(100));
    /// # } }
    /// let form = Form::new(&Batch { loaves: 12, grams: 900, dough: None })?;
    /// form.enter(at::<Batch>().loaves(), "200")?;
    /// assert!(form.findings()[0].is_warning && form.is_valid());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn warn_unless<L: Locate<R>, G: RuleResult<bool>>(
        &mut self,
        at: L,
        message: &str,
        function: impl Fn(&RuleView<'_, M, R>) -> G + Send + Sync + 'static,
    ) {
        self.add_constraint(at, message, true, function_of::<M, R, bool, G>(function));
    }

    fn add_constraint<L: Locate<R>>(&mut self, at: L, message: &str, is_warning: bool, function: Function) {
        let id = self.name.take();
        let rule = FlagRule::Constraint { message: message.to_owned(), is_warning, id };
        self.add(at, RuleOf::Flag(rule, function));
    }

    /// Adds a constraint on a place, with a message that depends on the form: where the function gives one, the place has an error
    /// with it.
    ///
    /// ```
    /// # use ricordo::{Form, Model, Rules, at};
    /// #[derive(Model)]
    /// #[model(rules = Batch::rules)]
    /// struct Batch { loaves: u32, trays: u32 }
    ///
    /// impl Batch {
    ///     fn rules(rules: &mut Rules<Self>) {
    ///         let batch = at::<Self>();
    ///         rules.constraint_with(batch.loaves(), move |it| {
    ///             let room = it.number(batch.trays()) * 6;
    ///             (it.number(batch.loaves()).more_than(room)?).then(|| format!("The trays hold only {room}."))
    ///         });
    ///     }
    /// }
    /// # let form = Form::new(&Batch { loaves: 20, trays: 3 })?;
    /// # assert_eq!(form.findings()[0].message, "The trays hold only 18.");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn constraint_with<L: Locate<R>>(
        &mut self,
        at: L,
        function: impl Fn(&RuleView<'_, M, R>) -> Option<String> + Send + Sync + 'static,
    ) {
        self.add_with_message(at, false, function);
    }

    /// Adds a constraint that only warns, with a message that depends on the form: where the function gives one, the user sees it as a
    /// warning, and the form stays valid.
    pub fn warn_with<L: Locate<R>>(
        &mut self,
        at: L,
        function: impl Fn(&RuleView<'_, M, R>) -> Option<String> + Send + Sync + 'static,
    ) {
        self.add_with_message(at, true, function);
    }

    fn add_with_message<L: Locate<R>>(
        &mut self,
        at: L,
        is_warning: bool,
        function: impl Fn(&RuleView<'_, M, R>) -> Option<String> + Send + Sync + 'static,
    ) {
        let function =
            function_of::<M, R, Value, Value>(move |it| function(it).map_or(Value::Blank, Value::from));
        self.add_constraint(at, "", is_warning, function);
    }

    /// Rules for every row of a list, also of rows to come. Their functions are given the row, and can read
    /// the record around it by [`form`](RuleView::form). Rules that hold for such a row in every list belong
    /// to its own type.
    pub fn each<L>(&mut self, list: L, declare: impl FnOnce(&mut Rules<M, <L::Target as HoldsRows>::Row>))
    where
        L: Locate<R>,
        L::Target: HoldsRows<Row: 'static>,
    {
        match list.spot() {
            Ok(list) => {
                let mut rows = self.rows.clone();
                rows.push(list);
                let mut rules = Rules::within(rows);
                declare(&mut rules);
                self.specs.append(rules.specs);
            }
            Err(refused) => self.specs.push(Err(refused)),
        }
    }
}

/// A function as the engine runs it.
fn function_of<M: 'static, R: 'static, T, G: RuleResult<T>>(
    function: impl Fn(&RuleView<'_, M, R>) -> G + Send + Sync + 'static,
) -> Function {
    Arc::new(move |view, form| function(&RuleView::new(view, form)).into_value())
}

/// The rules that a function declares.
pub(super) fn collect<M: 'static>(declare: impl FnOnce(&mut Rules<M>)) -> RuleSpecs {
    let mut rules = Rules::within(Vec::new());
    declare(&mut rules);
    rules.specs
}

/// Keeps rules that were added to a form: dropping it withdraws them. See [`Form::add_rules`].
#[must_use = "rules are withdrawn when their guard is dropped"]
pub struct RulesGuard {
    core: Weak<Core>,
    added: Option<AddedRules>,
}

impl RulesGuard {
    /// Lets the rules last as long as the form.
    pub fn keep(mut self) {
        self.added = None;
    }
}

impl Drop for RulesGuard {
    fn drop(&mut self) {
        if let (Some(core), Some(added)) = (self.core.upgrade(), self.added.take()) {
            core.withdraw_rules(added);
        }
    }
}

impl fmt::Debug for RulesGuard {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("RulesGuard").finish_non_exhaustive()
    }
}

impl<M: 'static> Form<M> {
    /// Adds rules to this form alone, until the guard that is returned is dropped: for a component that appears later. Rules
    /// of every form of a model belong to its type; see [`Rules`].
    ///
    /// It does not matter what was done to the form before: its baseline becomes what all rules give for the baseline's
    /// data, so a pristine form stays pristine, and what was done can still be undone. A field that may have a value of its
    /// own, since it is suggested one or has a counterpart, keeps what a person has given it.
    ///
    /// When the guard is dropped, the values that its rules gave stay, as if somebody had set them, also in the baseline.
    /// Everything else that the rules gave ends: fields can be entered again, findings are gone.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { loaves: u32, grams: u32, dough: Option<u32> }
    /// let form = Form::new(&Batch { loaves: 12, grams: 900, dough: None })?;
    /// let batch = ricordo::at::<Batch>();
    /// form.enter(batch.loaves(), "20")?;
    ///
    /// let totals = form.add_rules(|rules| {
    ///     rules.calculate(batch.dough(), move |it| it.number(batch.loaves()) * it.number(batch.grams()));
    /// })?;
    /// assert_eq!(form.get(batch.dough())?, Some(18_000));
    /// form.undo()?;
    /// assert_eq!(form.get(batch.dough())?, Some(10_800));
    /// assert!(!form.is_dirty());
    /// assert!(form.enter(batch.dough(), "1").is_err(), "it is calculated");
    ///
    /// drop(totals);
    /// assert_eq!(form.get(batch.dough())?, Some(10_800), "values stay");
    /// form.enter(batch.dough(), "11000")?;
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// Inside a callback the rules hold at once, and whoever is concerned is notified after the round. Withdrawing them
    /// inside a transaction, or while a selector runs, waits for its end.
    ///
    /// # Errors
    ///
    /// Fails, and adds none of the rules, if one contradicts another or its place, if places would depend on each other in
    /// a cycle, and inside transactions, selectors and rules.
    pub fn add_rules(&self, declare: impl FnOnce(&mut Rules<M>)) -> Result<RulesGuard, Error> {
        let added = self.core.add_rules(collect(declare))?;
        Ok(RulesGuard { core: Rc::downgrade(&self.core), added: Some(added) })
    }
}

/// The rules of a record type, as its description carries them.
pub(super) struct RuleSource {
    /// The name of the type.
    pub(super) name: &'static str,
    collect: Box<dyn Fn() -> RuleSpecs + Send + Sync>,
}

impl RuleSource {
    pub(super) fn collect(&self) -> RuleSpecs {
        (self.collect)()
    }
}

/// Makes the function that declares the rules of a type part of its description. For derived code.
#[doc(hidden)]
pub fn rules_of<M: Model>(declare: fn(&mut Rules<M>)) -> Attachment {
    let collect = move || collect(declare);
    let name = type_name::<M>().rsplit("::").next().unwrap_or_default();
    Attachment(Box::new(RuleSource { name, collect: Box::new(collect) }))
}
