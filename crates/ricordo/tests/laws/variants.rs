//! Law 3 for records with variants: rules that read and compute fields of variants, against figures that are computed from
//! plain data, whichever variants there are.

use proptest::prelude::*;
use ricordo::engine::Edit;
use ricordo::model::Data;
use ricordo::{Form, Model, Pointer, Rules, at};

use crate::fresh::assert_like_fresh;

#[derive(Clone, Debug, PartialEq, Model)]
#[model(rules = Day::rules)]
struct Day {
    orders: Vec<Order>,
    pieces: Option<u32>,
    carried: Option<u32>,
}

#[derive(Clone, Debug, PartialEq, Model)]
#[model(rules = Order::rules)]
struct Order {
    pieces: Option<u32>,
    way: Way,
    /// Twice the pieces, and the kilometres of a delivery.
    effort: Option<u32>,
}

#[derive(Clone, Debug, PartialEq, Model)]
#[serde(tag = "way", rename_all = "snake_case")]
enum Way {
    Collect,
    Deliver(Delivery),
    Post {
        #[model(default = 2)]
        parcels: u32,
    },
}

#[derive(Clone, Debug, Default, PartialEq, Model)]
#[model(rules = Delivery::rules)]
struct Delivery {
    kilometres: Option<u32>,
    stops: Vec<u32>,
    /// Ten minutes a stop, and two a kilometre.
    minutes: Option<u32>,
    note: Option<String>,
}

impl Day {
    fn rules(rules: &mut Rules<Self>) {
        let (day, order) = (at::<Self>(), at::<Order>());
        rules.aggregate(day.pieces(), day.orders().sum(order.pieces()));
        rules.aggregate(day.carried(), day.orders().sum(order.way().post().parcels()));
        rules.each(day.orders(), |rules| {
            // The fields of a variant depend on the form, too.
            rules.required(order.way().deliver().note(), move |it| {
                it.form().number(day.carried()).more_than(3)
            });
        });
    }
}

impl Order {
    fn rules(rules: &mut Rules<Self>) {
        let order = at::<Self>();
        rules.calculate(order.effort(), move |it| {
            it.number(order.pieces()).or(0) * 2 + it.number(order.way().deliver().kilometres()).or(0)
        });
        rules.readonly(order.pieces(), move |it| it.get(order.way().way()) == Some(WayTag::Collect));
    }
}

impl Delivery {
    fn rules(rules: &mut Rules<Self>) {
        let delivery = at::<Self>();
        rules.calculate(delivery.minutes(), move |it| {
            it.number(delivery.kilometres()).or(0) * 2 + it.rows(delivery.stops()).len() as i64 * 10
        });
    }
}

/// One action; which row it is about is counted around.
#[derive(Clone, Copy, Debug)]
enum Doing {
    Way(usize, usize),
    Whole(usize, usize, u32),
    Pieces(usize, Option<u32>),
    Kilometres(usize, Option<u32>),
    Parcels(usize, u32),
    Stop(usize),
    Insert(usize, usize, u32),
    Remove(usize),
    Move(usize, usize),
    Undo,
    Reset,
    ResetRow(usize),
}

fn doings() -> impl Strategy<Value = Vec<Doing>> {
    let at = || 0..8_usize;
    let figure = || prop::option::weighted(0.8, 0..9_u32);
    let doing = prop_oneof![
        4 => (at(), 0..3_usize).prop_map(|(at, way)| Doing::Way(at, way)),
        2 => (at(), 0..3_usize, 0..9_u32).prop_map(|(at, way, figure)| Doing::Whole(at, way, figure)),
        1 => (at(), figure()).prop_map(|(at, pieces)| Doing::Pieces(at, pieces)),
        3 => (at(), figure()).prop_map(|(at, kilometres)| Doing::Kilometres(at, kilometres)),
        3 => (at(), 0..9_u32).prop_map(|(at, parcels)| Doing::Parcels(at, parcels)),
        2 => at().prop_map(Doing::Stop),
        2 => (at(), 0..3_usize, 0..9_u32).prop_map(|(at, way, figure)| Doing::Insert(at, way, figure)),
        1 => at().prop_map(Doing::Remove),
        1 => (at(), at()).prop_map(|(from, to)| Doing::Move(from, to)),
        3 => Just(Doing::Undo),
        1 => Just(Doing::Reset),
        1 => at().prop_map(Doing::ResetRow),
    ];
    prop::collection::vec(doing, 1..30)
}

fn way(way: usize, figure: u32) -> Way {
    match way {
        0 => Way::Collect,
        1 => Way::Deliver(Delivery { kilometres: Some(figure), stops: vec![figure], ..Delivery::default() }),
        _ => Way::Post { parcels: figure },
    }
}

fn order(kind: usize, figure: u32) -> Order {
    Order { pieces: Some(figure), way: way(kind, figure), effort: None }
}

/// A row, and what its variant was when it came.
#[derive(Clone, Debug, PartialEq)]
struct Plain {
    /// Tells equal rows apart.
    number: usize,
    order: Order,
    first: Order,
}

impl Plain {
    fn new(number: usize, order: Order) -> Self {
        Plain { number, first: order.clone(), order }
    }

    /// The row after another variant is chosen.
    fn choose(&mut self, kind: usize) {
        let is = |order: &Order| match order.way {
            Way::Collect => 0,
            Way::Deliver(_) => 1,
            Way::Post { .. } => 2,
        };
        self.order.way = match kind {
            kind if kind == is(&self.order) => return,
            kind if kind == is(&self.first) => self.first.way.clone(),
            0 => Way::Collect,
            1 => Way::Deliver(Delivery::default()),
            _ => Way::Post { parcels: 2 },
        };
    }
}

/// The day as it has to be, with all that is computed.
fn computed(rows: &[Plain]) -> Day {
    let orders = rows.iter().map(|row| {
        let mut order = row.order.clone();
        let mut effort = order.pieces.unwrap_or(0) * 2;
        if let Way::Deliver(delivery) = &mut order.way {
            let kilometres = delivery.kilometres.unwrap_or(0);
            effort += kilometres;
            delivery.minutes = Some(kilometres * 2 + delivery.stops.len() as u32 * 10);
        }
        Order { effort: Some(effort), ..order }
    });
    let orders: Vec<Order> = orders.collect();
    let sum = |figures: Vec<Option<u32>>| {
        figures.into_iter().flatten().reduce(|one, other| one + other).unwrap_or(0)
    };
    let parcels = |order: &Order| if let Way::Post { parcels } = order.way { Some(parcels) } else { None };
    Day {
        pieces: Some(sum(orders.iter().map(|order| order.pieces).collect())),
        carried: Some(sum(orders.iter().map(parcels).collect())),
        orders,
    }
}

fn done(form: &Form<Day>, rows: &mut Vec<Plain>, doing: Doing, number: usize) {
    let orders = at::<Day>().orders();
    let kinds = [WayTag::Collect, WayTag::Deliver, WayTag::Post];
    match doing {
        Doing::Way(at, kind) => {
            let Some(at) = at.checked_rem(rows.len()) else { return };
            form.set(orders.at(at).way().way(), kinds[kind]).unwrap();
            rows[at].choose(kind);
        }
        Doing::Whole(at, kind, figure) => {
            let Some(at) = at.checked_rem(rows.len()) else { return };
            form.set(orders.at(at).way(), way(kind, figure)).unwrap();
            rows[at].order.way = way(kind, figure);
        }
        Doing::Pieces(at, pieces) => {
            let Some(at) = at.checked_rem(rows.len()) else { return };
            form.set(orders.at(at).pieces(), pieces).unwrap();
            rows[at].order.pieces = pieces;
        }
        Doing::Kilometres(at, kilometres) => {
            let Some(at) = at.checked_rem(rows.len()) else { return };
            // Null differs from the blank of a new variant, but both are `None` here.
            if matches!(&rows[at].order.way, Way::Deliver(delivery) if delivery.kilometres == kilometres) {
                return;
            }
            let set = form.set(orders.at(at).way().deliver().kilometres(), kilometres);
            if let Way::Deliver(delivery) = &mut rows[at].order.way {
                set.unwrap();
                delivery.kilometres = kilometres;
            } else {
                set.unwrap_err();
            }
        }
        Doing::Parcels(at, figure) => {
            let Some(at) = at.checked_rem(rows.len()) else { return };
            let set = form.set(orders.at(at).way().post().parcels(), figure);
            if let Way::Post { parcels } = &mut rows[at].order.way {
                set.unwrap();
                *parcels = figure;
            } else {
                set.unwrap_err();
            }
        }
        Doing::Stop(at) => {
            let Some(at) = at.checked_rem(rows.len()) else { return };
            if let Way::Deliver(delivery) = &mut rows[at].order.way {
                form.place(orders.at(at).way().deliver().stops()).unwrap().push(5).unwrap();
                delivery.stops.push(5);
            }
        }
        Doing::Insert(at, kind, figure) => {
            let at = at % (rows.len() + 1);
            form.place(orders).unwrap().insert(at, order(kind, figure)).unwrap();
            rows.insert(at, Plain::new(number, order(kind, figure)));
        }
        Doing::Remove(at) => {
            let Some(at) = at.checked_rem(rows.len()) else { return };
            let row = format!("/orders/{at}").parse::<Pointer>().unwrap().into();
            form.apply(Edit::remove(row)).unwrap();
            rows.remove(at);
        }
        Doing::Move(from, to) => {
            let (Some(from), Some(to)) = (from.checked_rem(rows.len()), to.checked_rem(rows.len())) else {
                return;
            };
            form.place(orders.at(from)).unwrap().move_to(to).unwrap();
            let row = rows.remove(from);
            rows.insert(to, row);
        }
        Doing::ResetRow(at) => {
            let Some(at) = at.checked_rem(rows.len()) else { return };
            form.place(orders.at(at)).unwrap().reset().unwrap();
            rows[at].order = rows[at].first.clone();
        }
        Doing::Undo | Doing::Reset => unreachable!("done to the whole form"),
    }
}

proptest! {
    #[test]
    fn rules_over_variants_match_a_computation_from_plain_data(doings in doings()) {
        let first: Vec<Plain> = (0..3).map(|kind| Plain::new(kind, order(kind, 3))).collect();
        let day = Day { orders: first.iter().map(|row| row.order.clone()).collect(), pieces: None, carried: None };
        let form = Form::new(&day).unwrap();
        prop_assert!(!form.is_dirty());
        let (mut rows, mut steps) = (first.clone(), vec![first.clone()]);
        for (doing, number) in doings.into_iter().zip(3..) {
            match doing {
                Doing::Undo => {
                    prop_assert_eq!(form.can_undo(), steps.len() > 1);
                    if form.can_undo() {
                        form.undo().unwrap();
                        steps.pop();
                        rows.clone_from(steps.last().unwrap());
                    }
                }
                Doing::Reset => {
                    form.reset().unwrap();
                    rows.clone_from(&first);
                }
                doing => done(&form, &mut rows, doing, number),
            }
            if *steps.last().unwrap() != rows {
                steps.push(rows.clone());
            }
            let expected = computed(&rows);
            prop_assert_eq!(form.get(at::<Day>()).unwrap(), Some(expected.clone()), "{:?}", doing);
            for (row, order) in expected.orders.iter().enumerate() {
                let place = |name: &str| form.place(format!("/orders/{row}/{name}").as_str());
                prop_assert_eq!(place("pieces").unwrap().is_readonly(), order.way == Way::Collect);
                let is_required = place("way/note").map(|note| note.is_required()).ok();
                let is_delivered = matches!(order.way, Way::Deliver(_));
                prop_assert_eq!(is_required, is_delivered.then_some(expected.carried > Some(3)));
            }
            prop_assert_eq!(form.is_valid(), form.parse().is_ok(), "law 15");
            assert_like_fresh(&form, |value| Form::new(&Day::from_value(&value).unwrap()).unwrap());
        }
    }
}
