//! Two different forms share a record with its own rules: a price, which is typed with or without tax. The rules are
//! declared once, with the record; each form adds its own.
//!
//! Run with `cargo run --example shared_record`.
#![allow(missing_docs)]

use ricordo::Error;
use ricordo::{Decimal, Form, Model, Rules, at};

/// A price. Of net and gross, the one that was typed last leads.
#[derive(Clone, Debug, Model)]
#[model(rules = Price::rules)]
struct Price {
    #[model(minimum = 0, maximum = 100)]
    tax: Option<Decimal>,
    #[model(decimals = 2)]
    net: Option<Decimal>,
    #[model(decimals = 2)]
    gross: Option<Decimal>,
}

impl Price {
    fn rules(rules: &mut Rules<Self>) {
        let price = at::<Self>();
        rules.counterparts(
            (price.net(), move |it| {
                (it.number(price.gross()) * 100 / (it.number(price.tax()) + 100)).round(2)
            }),
            (price.gross(), move |it| {
                (it.number(price.net()) * (it.number(price.tax()) + 100) / 100).round(2)
            }),
        );
        rules
            .constraint(price.net(), "Nothing is given away.", move |it| it.number(price.net()).more_than(0));
    }
}

/// A form with one price.
#[derive(Debug, Model)]
#[model(rules = Product::rules)]
struct Product {
    name: String,
    price: Price,
    /// The price of half a loaf.
    #[model(decimals = 2)]
    half: Option<Decimal>,
}

impl Product {
    fn rules(rules: &mut Rules<Self>) {
        let product = at::<Self>();
        rules.suggest(product.half(), move |it| {
            (it.number(product.price().gross()) / 2 + Decimal::new(1, 1)).round(1)
        });
    }
}

/// A form with a price in each row.
#[derive(Debug, Model)]
#[model(rules = Delivery::rules)]
struct Delivery {
    lines: Vec<Line>,
    #[model(decimals = 2)]
    total: Option<Decimal>,
}

#[derive(Debug, Model)]
#[model(rules = Line::rules)]
struct Line {
    loaves: u32,
    each: Price,
    #[model(decimals = 2)]
    amount: Option<Decimal>,
}

impl Delivery {
    fn rules(rules: &mut Rules<Self>) {
        let (delivery, line) = (at::<Self>(), at::<Line>());
        rules.aggregate(delivery.total(), delivery.lines().sum(line.amount()));
    }
}

impl Line {
    fn rules(rules: &mut Rules<Self>) {
        let line = at::<Self>();
        rules.calculate(line.amount(), move |it| it.number(line.loaves()) * it.number(line.each().gross()));
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let price = |net| Price { tax: Some(7.into()), net: Some(Decimal::new(net, 2)), gross: None };
    let product = Form::new(&Product { name: "Rye".to_owned(), price: price(400), half: None })?;
    let lines = [(20, 400), (12, 350)].map(|(loaves, net)| Line { loaves, each: price(net), amount: None });
    let delivery = Form::new(&Delivery { lines: lines.into(), total: None })?;

    let (rye, order) = (at::<Product>(), at::<Delivery>());
    let show = |when: &str| -> Result<(), Error> {
        let shown = |pointer: &str| product.place(pointer).map(|place| place.display());
        println!("{when}:");
        println!(
            "  product   net {} gross {} half {}",
            shown("/price/net")?,
            shown("/price/gross")?,
            shown("/half")?
        );
        let rows = delivery.place(order.lines())?.rows();
        for line in rows {
            let shown = |pointer: &str| line.place(pointer).map(|place| place.display());
            let (net, gross, amount) = (shown("/each/net")?, shown("/each/gross")?, shown("/amount")?);
            println!("  delivery  net {net} gross {gross} amount {amount}");
        }
        println!("  total     {}", delivery.place(order.total())?.display());
        Ok(())
    };
    show("As loaded")?;

    product.enter(rye.price().gross(), "4.50")?;
    delivery.enter(order.lines().at(0).each().gross(), "4.50")?;
    delivery.enter(order.lines().at(1).each().net(), "0")?;
    show("Typed with tax in both forms")?;
    for finding in delivery.findings() {
        println!("  {}", finding.message);
    }
    Ok(())
}
