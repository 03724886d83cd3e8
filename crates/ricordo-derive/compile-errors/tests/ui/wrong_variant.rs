use ricordo::{Form, Model};

#[derive(Model)]
#[serde(tag = "kind", rename_all = "snake_case")]
enum Leaven {
    Yeast { grams: u32 },
    Sourdough { starter: u32 },
}

#[derive(Model)]
#[serde(untagged)]
enum Guessed {
    One { grams: u32 },
}

#[derive(Model)]
#[serde(tag = "kind")]
enum Several {
    Pair(u32, u32),
}

#[derive(Model)]
#[serde(tag = "kind")]
enum Clash {
    Kind { grams: u32 },
}

#[derive(Model)]
#[serde(tag = "kind")]
#[model(secret)]
enum Hidden {
    Word { grams: u32 },
}

#[derive(Model)]
#[serde(tag = "kind")]
struct Tagged {
    grams: u32,
}

fn main() -> Result<(), ricordo::Error> {
    let leaven = ricordo::at::<Leaven>();
    let form = Form::new(&Leaven::Yeast { grams: 20 })?;
    form.enter(leaven.yeast().starter(), "1")?;
    form.enter(leaven.poolish(), "1")?;
    form.enter(leaven.sourdough(), "1")?;
    form.set(leaven.kind(), Leaven::Yeast { grams: 1 })
}
