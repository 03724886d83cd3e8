//! Contenders (c) and (d): a form, edited by a cached handle and by path.

use ricordo::{Decimal, Form, Model, Place, Subscription};

use crate::scene;

#[derive(Model)]
pub struct Sheet {
    pub ingredients: Vec<Ingredient>,
}

#[derive(Model)]
pub struct Ingredient {
    pub name: String,
    pub kind: String,
    #[model(minimum = 0)]
    pub grams: Decimal,
    pub price_per_kilogram: Decimal,
    pub supplier: String,
    pub notes: String,
}

/// A row of the scene.
pub fn row(data: &scene::Ingredient) -> Ingredient {
    Ingredient {
        name: data.name.clone(),
        kind: data.kind.clone(),
        grams: data.grams,
        price_per_kilogram: data.price_per_kilogram,
        supplier: data.supplier.clone(),
        notes: data.notes.clone(),
    }
}

/// The record of the scene.
pub fn sheet(data: &[scene::Ingredient]) -> Sheet {
    Sheet { ingredients: data.iter().map(row).collect() }
}

/// A form of the scene, with one subscriber on the list.
pub struct WithRicordo {
    form: Form<Sheet>,
    grams: Vec<Place<Decimal>>,
    _subscription: Subscription,
    _others: Vec<Subscription>,
}

impl WithRicordo {
    /// The same, with a subscription on a field of every row that is not edited, and a selector over one of them.
    pub fn with_unconcerned(mut self) -> Self {
        let list = self.form.place(ricordo::at::<Sheet>().ingredients()).expect("there is a list");
        let follow = |row: Place<Ingredient>| {
            let name = row.place(ricordo::at::<Ingredient>().name()).expect("there is a name in a row");
            name.subscribe(|_| ()).expect("a name can be followed")
        };
        self._others = list.rows().into_iter().map(follow).collect();
        let notes = self
            .form
            .subscribe_selector(|view| view.get(ricordo::at::<Sheet>().ingredients().at(0).notes()), |_| ());
        self._others.push(notes.expect("notes can be looked at"));
        self
    }

    pub fn new(data: &[scene::Ingredient], mut on_change: Box<dyn FnMut()>) -> Self {
        let form = Form::new(&sheet(data)).expect("the scene fits");
        let list = form.place(ricordo::at::<Sheet>().ingredients()).expect("there is a list");
        let in_row = |row: Place<Ingredient>| {
            row.place(ricordo::at::<Ingredient>().grams()).expect("there are grams in a row")
        };
        let grams = list.rows().into_iter().map(in_row).collect();
        let subscription = list.subscribe(move |_| on_change()).expect("the list can be followed");
        WithRicordo { form, grams, _subscription: subscription, _others: Vec::new() }
    }

    /// Types by cached handle.
    pub fn enter_by_handle(&mut self, index: usize, text: &str) {
        self.grams[index].enter(text).expect("grams can be typed");
    }

    /// Types by path.
    pub fn enter_by_path(&mut self, index: usize, text: &str) {
        let grams = ricordo::at::<Sheet>().ingredients().at(index).grams();
        self.form.enter(grams, text).expect("grams can be typed");
    }

    pub fn is_dirty(&self) -> bool {
        self.form.is_dirty()
    }
}
