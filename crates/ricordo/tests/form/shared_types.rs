//! Records of one type in several places: what is declared for one of them is not for the others.

use crate::WithRules;
use ricordo::{Form, Model, at};

#[derive(Clone, Debug, Default, Model)]
struct Order {
    morning: Delivery,
    evening: Delivery,
    total: Option<u32>,
}

#[derive(Clone, Debug, Default, Model)]
struct Delivery {
    loaves: u32,
    crates: Option<u32>,
    stops: Vec<Stop>,
}

#[derive(Clone, Debug, Default, Model)]
struct Stop {
    loaves: u32,
    minutes: Option<u32>,
}

#[test]
fn what_is_declared_for_one_is_not_for_the_other() {
    let delivery = Delivery { loaves: 40, crates: None, stops: vec![Stop { loaves: 10, minutes: None }] };
    let form = Form::new(&Order { morning: delivery.clone(), evening: delivery, total: None }).unwrap();
    let (order, stop) = (at::<Order>(), at::<Stop>());
    form.rule(|rules| {
        rules.calculate(order.morning().crates(), |order| {
            Some(order.get(at::<Order>().morning().loaves())? / 20)
        });
        rules.each(order.morning().stops(), |rules| {
            rules.calculate(stop.minutes(), |stop| Some(stop.get(at::<Stop>().loaves())? / 2))
        });
        rules.aggregate(order.total(), order.evening().stops().sum(stop.loaves()));
        rules.relevant(order.morning().stops(), |_| Some(false));
    })
    .unwrap();
    let said = |at: &str| form.place::<&str>(at).unwrap().entry();
    assert_eq!((said("/morning/crates").as_str(), said("/evening/crates").as_str()), ("2", ""));
    assert_eq!(
        (said("/morning/stops/0/minutes").as_str(), said("/evening/stops/0/minutes").as_str()),
        ("", "")
    );
    assert!(form.place(order.evening().stops()).unwrap().is_relevant());
    form.enter(order.evening().crates(), "3").unwrap();
    form.place(order.evening().stops()).unwrap().add().unwrap();
    form.place(order.morning().stops()).unwrap().add().unwrap();
    form.enter(order.evening().stops().at(1).minutes(), "7").unwrap();
    form.enter(order.morning().stops().at(0).loaves(), "99").unwrap();
    form.enter(order.evening().stops().at(0).loaves(), "11").unwrap();
    assert_eq!(said("/total"), "11");
    // The other gets something else.
    form.reset().unwrap();
    form.rule(|rules| {
        rules.calculate(order.evening().crates(), |_| Some(9));
        rules.each(order.evening().stops(), |rules| rules.calculate(stop.minutes(), |_| Some(8)));
    })
    .unwrap();
    form.rule(|rules| rules.calculate(order.morning().crates(), |_| Some(9))).unwrap_err();
    assert_eq!((said("/morning/crates").as_str(), said("/evening/crates").as_str()), ("2", "9"));
    assert_eq!(said("/evening/stops/0/minutes"), "8");
}

#[test]
fn what_is_offered_in_the_rows_of_one_is_not_in_those_of_the_other() {
    use ricordo::schema::{Choice, Choices};

    let delivery = Delivery { loaves: 40, crates: None, stops: vec![Stop { loaves: 10, minutes: None }] };
    let form = Form::new(&Order { morning: delivery.clone(), evening: delivery, total: None }).unwrap();
    let offer = |at: &str, loaves: i64| {
        let choices = Choices::new([Choice::new(loaves)]);
        let at = at.parse::<ricordo::Pointer>().unwrap().into();
        form.apply(ricordo::engine::Edit::choices(at, Some(choices))).unwrap();
    };
    let order = at::<Order>();
    offer("/morning/stops/-/loaves", 20);
    assert_eq!((form.findings().len(), form.findings()[0].place.as_str()), (1, "/morning/stops/0/loaves"));
    offer("/evening/stops/-/loaves", 10);
    form.place(order.evening().stops()).unwrap().add().unwrap();
    form.enter(order.evening().stops().at(1).loaves(), "20").unwrap();
    form.enter(order.morning().stops().at(0).loaves(), "20").unwrap();
    assert_eq!((form.findings().len(), form.findings()[0].place.as_str()), (1, "/evening/stops/1/loaves"));
}
