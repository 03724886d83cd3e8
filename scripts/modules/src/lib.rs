//! The forms of the modules whose size is measured: twelve fields of all kinds, with or without a list and rules, and what a page
//! does with them.

use std::hint::black_box;

use ricordo::civil::{Date, Time};
use ricordo::engine::Edit;
use ricordo::{Decimal, Error, Form, Model, Rules, WidgetEvent, at};

/// A sheet of twelve fields and a list.
#[derive(Debug, Model)]
#[model(rules = Sheet::rules)]
#[allow(missing_docs)]
pub struct Sheet {
    #[model(label = "Name", required, max_length = 40)]
    pub name: String,
    #[model(format = "email")]
    pub email: String,
    pub day: Option<Date>,
    pub start: Option<Time>,
    pub method: Method,
    #[model(minimum = 1, maximum = 500)]
    pub loaves: u32,
    #[model(minimum = 0, decimals = 1)]
    pub grams: Decimal,
    #[model(decimals = 2, grouping)]
    pub price: Option<Decimal>,
    pub on_sale: bool,
    #[model(commit = "leave")]
    pub notes: String,
    pub dough: Option<Decimal>,
    pub cost: Option<Decimal>,
    #[model(min_items = 1)]
    pub rows: Vec<Row>,
}

/// The way in which it is made.
#[derive(Clone, Copy, Debug, PartialEq, Model)]
#[allow(missing_docs)]
pub enum Method {
    Straight,
    Sourdough,
}

/// A row of the list.
#[derive(Debug, Model)]
#[allow(missing_docs)]
pub struct Row {
    pub name: String,
    pub grams: Option<Decimal>,
    pub price: Option<Decimal>,
    pub cost: Option<Decimal>,
}

impl Sheet {
    fn rules(rules: &mut Rules<Self>) {
        let (sheet, row) = (at::<Self>(), at::<Row>());
        rules.aggregate(sheet.dough(), sheet.rows().sum(row.grams()));
        rules.aggregate(sheet.cost(), sheet.rows().sum(row.cost()));
        rules.required(sheet.price(), move |it| it.get(sheet.on_sale()));
        rules.warn_unless(sheet.loaves(), "Not enough dough.", move |it| {
            (it.number(sheet.loaves()) * it.number(sheet.grams())).at_most(it.number(sheet.dough()))
        });
        rules.each(sheet.rows(), |rules| {
            rules.calculate(row.cost(), move |it| it.number(row.grams()) * it.number(row.price()) / 1000);
        });
    }
}

/// The fields of a sheet alone.
#[derive(Debug, Model)]
#[allow(missing_docs)]
pub struct Fields {
    #[model(label = "Name", required, max_length = 40)]
    pub name: String,
    #[model(format = "email")]
    pub email: String,
    pub day: Option<Date>,
    pub start: Option<Time>,
    pub method: Method,
    #[model(minimum = 1, maximum = 500)]
    pub loaves: u32,
    #[model(minimum = 0, decimals = 1)]
    pub grams: Decimal,
    #[model(decimals = 2, grouping)]
    pub price: Option<Decimal>,
    pub on_sale: bool,
    #[model(commit = "leave")]
    pub notes: String,
    pub dough: Option<Decimal>,
    pub cost: Option<Decimal>,
}

/// A sheet without anything in it.
///
/// # Errors
///
/// Fails as [`Form::blank`] does.
pub fn blank() -> Result<Form<Sheet>, Error> {
    Form::blank()
}

/// A form of fields, used as a page uses it.
///
/// # Errors
///
/// Fails as [`use_fields`] does.
pub fn used_fields() -> Result<Form<Fields>, Error> {
    let form = Form::blank()?;
    use_fields(&form)?;
    drop(black_box(form.parse()));
    Ok(form)
}

/// Uses fields as a page does: widgets, typing, undo, findings, and a reset.
///
/// # Errors
///
/// Fails if an action is refused.
pub fn use_fields<M: 'static>(form: &Form<M>) -> Result<(), Error> {
    let binding = form.bind("/loaves")?;
    let _drawn = binding.subscribe(|state| drop(black_box(state.text.clone())))?;
    let _whole = form.subscribe("", |notice| drop(black_box(notice.place().value())))?;
    binding.handle(WidgetEvent::Input(black_box("12").into()))?;
    binding.handle(WidgetEvent::Leave)?;
    form.enter("/grams", black_box("500"))?;
    form.undo()?;
    form.redo()?;
    black_box((form.findings(), form.is_dirty(), form.can_undo()));
    form.reset()
}

/// Uses a list besides: rows come and move.
///
/// # Errors
///
/// Fails if an action is refused.
pub fn use_form<M: 'static>(form: &Form<M>) -> Result<(), Error> {
    form.apply(Edit::insert("/rows".parse()?, None, None))?;
    form.place("/rows/0")?.move_to(0)?;
    form.enter("/rows/0/grams", black_box("500"))?;
    use_fields(form)
}

/// Shows an error as a page does, by its message.
pub fn shown(result: Result<(), Error>) {
    if let Err(error) = result {
        black_box(error.to_string());
    }
}
