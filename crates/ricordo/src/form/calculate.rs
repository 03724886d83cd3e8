//! Declaring what is calculated.

use super::look::View;
use super::{Form, address};
use crate::engine::{Address, Refused, Target};
use crate::model::{Data, Locate, Model, Spot};
use crate::value::Value;

impl<M: 'static> Form<M> {
    /// Declares that a field is calculated by a function of the form. `None` makes it blank.
    ///
    /// What the function looks at is taken down. It is run again when something of that is another: at most once in a
    /// transaction, after all that it follows from, and what follows from it only if its result is another. Nobody
    /// else can set the field then, neither a person nor a program.
    ///
    /// Declare what is calculated before anything in the form is changed: a baseline is what follows from the data, so
    /// the form stays pristine. Refused are fields that are calculated already, and circles, with the chain of places.
    /// The function looks at its form only through the view. If it panics, or gives what does not fit, the action that
    /// led to it is refused, and the form is as it was.
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Batch { loaves: u32, grams: u32, dough: Option<u32> }
    /// let form = Form::new(&Batch { loaves: 12, grams: 900, dough: None })?;
    /// let batch = ricordo::at::<Batch>();
    /// form.calculate(batch.dough(), |view| {
    ///     let batch = ricordo::at::<Batch>();
    ///     Some(Some(view.get(batch.loaves())? * view.get(batch.grams())?))
    /// })?;
    /// assert_eq!(form.get(batch.dough())?, Some(Some(10_800)));
    /// form.enter(batch.loaves(), "20")?;
    /// assert_eq!(form.get(batch.dough())?, Some(Some(18_000)));
    /// assert!(form.enter(batch.dough(), "1").is_err());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn calculate<L: Locate<M>>(
        &self,
        at: L,
        function: impl Fn(&View<'_, M>) -> Option<L::Target> + 'static,
    ) -> Result<(), Refused> {
        let target = Target::Field(address(at)?);
        self.core.calculate(&target, move |view| value_of(function(&View::new(view))))
    }

    /// Declares that a field of every row of a list is calculated by a function of the row, also in rows to come. See
    /// [`Form::calculate`].
    ///
    /// ```
    /// # use ricordo::{Form, Model};
    /// # #[derive(Model)] struct Sheet { rows: Vec<Row> }
    /// # #[derive(Model)] struct Row { grams: u32, price: u32, cost: Option<u32> }
    /// let form = Form::new(&Sheet { rows: vec![Row { grams: 500, price: 2, cost: None }] })?;
    /// let (sheet, row) = (ricordo::at::<Sheet>(), ricordo::at::<Row>());
    /// form.calculate_each(sheet.rows(), row.cost(), |row| {
    ///     let paths = ricordo::at::<Row>();
    ///     Some(Some(row.get(paths.grams())? * row.get(paths.price())?))
    /// })?;
    /// assert_eq!(form.get(sheet.rows().at(0).cost())?, Some(Some(1_000)));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn calculate_each<R, L, I>(
        &self,
        list: L,
        field: I,
        function: impl Fn(&View<'_, R>) -> Option<I::Target> + 'static,
    ) -> Result<(), Refused>
    where
        R: Model,
        L: Locate<M, Target = Vec<R>>,
        I: Locate<R>,
    {
        let field = match field.spot() {
            Ok(Spot::Route(route)) => route,
            Ok(Spot::Pointer(pointer)) => return Err(Refused::untyped(&pointer)),
            Err(error) => return Err(Refused::unreadable(&error)),
        };
        let list: Address = address(list)?;
        let target = Target::EachRow { list, field };
        self.core.calculate(&target, move |view| value_of(function(&View::new(view))))
    }
}

fn value_of<T: Data>(result: Option<T>) -> Value {
    result.map_or(Value::Blank, |result| result.to_value())
}
