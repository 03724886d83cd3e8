//! A page from Rust: a typed record with rules, bound to the form in `batch_sheet.html`.
//!
//! `scripts/web serve` builds it and serves it, beside the demo page.

use ricordo::form::SubmitOptions;
use ricordo::{Decimal, Form, Model, Rules, at};
use ricordo_web::{BindOptions, BoundForm, StoredDraft, stored_draft};
use wasm_bindgen::prelude::wasm_bindgen;
use wasm_bindgen::{JsError, UnwrapThrowExt};

#[derive(Debug, Model)]
#[model(rules = Batch::rules)]
struct Batch {
    #[model(label = "Name", required, max_length = 40)]
    name: String,
    #[model(label = "Loaves", minimum = 1, maximum = 500)]
    loaves: u32,
    #[model(label = "On sale")]
    on_sale: bool,
    #[model(label = "Price", minimum = 0, decimals = 2)]
    price: Option<Decimal>,
    #[model(label = "Ingredients", min_items = 1)]
    ingredients: Vec<Ingredient>,
    #[model(decimals = 2)]
    cost: Option<Decimal>,
}

#[derive(Debug, Model)]
#[model(rules = Ingredient::rules)]
struct Ingredient {
    #[model(label = "Ingredient", required)]
    name: String,
    #[model(label = "Grams", minimum = 0)]
    grams: Option<Decimal>,
    #[model(label = "Price a kilogram", minimum = 0)]
    price: Option<Decimal>,
    #[model(decimals = 2)]
    cost: Option<Decimal>,
}

impl Batch {
    fn rules(rules: &mut Rules<Self>) {
        let (batch, row) = (at::<Self>(), at::<Ingredient>());
        rules.aggregate(batch.cost(), batch.ingredients().sum(row.cost()));
        rules.required(batch.price(), move |it| it.get(batch.on_sale()));
        rules.relevant(batch.price(), move |it| it.get(batch.on_sale()));
    }
}

impl Ingredient {
    fn rules(rules: &mut Rules<Self>) {
        let row = at::<Self>();
        rules.calculate(row.cost(), move |it| it.number(row.grams()) * it.number(row.price()) / 1000);
    }
}

fn batch() -> Batch {
    let row = |name: &str, grams: u32, price: Decimal| Ingredient {
        name: name.into(),
        grams: Some(grams.into()),
        price: Some(price),
        cost: None,
    };
    Batch {
        name: "Field loaf".into(),
        loaves: 12,
        on_sale: false,
        price: None,
        ingredients: vec![
            row("Wheat flour", 5000, Decimal::new(115, 2)),
            row("Salt", 126, Decimal::new(6, 1)),
        ],
        cost: None,
    }
}

/// The key under which the draft is kept.
const DRAFT: &str = "batch";

/// Binds the page.
///
/// # Errors
///
/// Fails if the model contradicts itself, or if the page has no such form.
#[wasm_bindgen(start)]
pub fn start() -> Result<(), JsError> {
    let batch = batch();
    let form = match stored_draft(DRAFT, ricordo_web::DraftStore::Tab) {
        StoredDraft::Draft(draft) => Form::from_draft(&draft, Some(&batch))?.form,
        _ => Form::new(&batch)?,
    };
    let document = web_sys::window().and_then(|window| window.document()).expect_throw("there is a page");
    let element =
        document.get_element_by_id("batch").ok_or_else(|| JsError::new("the page has no #batch"))?;
    let answer =
        document.get_element_by_id("answer").ok_or_else(|| JsError::new("the page has no #answer"))?;

    let saving = SubmitOptions::new().dirty_only();
    let options = BindOptions::new().keep_draft(DRAFT).on_submit(saving, move |submission| {
        // A real page sends this, and accepts the submission when the server has answered.
        answer.set_text_content(Some(&format!("Saved: {}", submission.to_json())));
        submission.accept()
    });
    let bound: BoundForm = ricordo_web::bind(&form, &element, options)?;
    // The page stays bound as long as it is there.
    bound.keep();
    Ok(())
}
