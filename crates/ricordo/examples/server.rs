//! A server that guards a batch sheet with the model of its clients. Two people save patches to it at the same time; nobody
//! overwrites what the other did, and nobody changes what is not theirs.

use std::io::{Read, Write};
use std::net::{SocketAddr, TcpStream};
use std::sync::{Arc, Mutex};

use ricordo::engine::{Gate, Incoming};
use ricordo::exchange::{read_problem, read_value, write_problem};
use ricordo::form::schema_of;
use ricordo::model::Data;
use ricordo::{Decimal, Error, Form, Model, Problem, Rules, SubmitOptions, Value, at};
use tiny_http::{Header, Method, Response, Server};

#[derive(Clone, Debug, Model)]
#[model(rules = Batch::rules)]
struct Batch {
    #[model(readonly)]
    number: u32,
    #[model(label = "Name", required)]
    name: String,
    #[model(label = "Loaves", minimum = 1, maximum = 500)]
    loaves: u32,
    #[model(label = "Price", minimum = 0)]
    price: Option<Decimal>,
    #[model(label = "Turnover")]
    turnover: Option<Decimal>,
}

impl Batch {
    fn rules(rules: &mut Rules<Self>) {
        let batch = at::<Self>();
        rules.calculate(batch.turnover(), move |it| it.number(batch.price()) * it.number(batch.loaves()));
    }

    /// The submit options of every screen: a batch is saved as a patch that tests the old values.
    fn saving() -> SubmitOptions<Self> {
        SubmitOptions::new().as_json_patch().with_tests()
    }
}

/// The server: one record, and as many threads as there are requests at a time.
fn serve(server: &Server, held: &Mutex<Value>, gate: &Gate) {
    let is_patch =
        |header: &Header| header.field.equiv("Content-Type") && header.value == "application/json-patch+json";
    for mut request in server.incoming_requests() {
        let mut body = String::new();
        let answer = match request.method() {
            Method::Get => Ok(held.lock().expect("no thread panics").clone()),
            Method::Patch if request.headers().iter().any(is_patch) => {
                let read = request.as_reader().take(1 << 20).read_to_string(&mut body);
                let patch = read.map_err(|_| Error::mismatch("is not text")).and_then(|_| read_value(&body));
                let unreadable = |error: Error| {
                    let mut problem = Problem::new("The patch cannot be read.").detail(error.to_string());
                    problem.status = Some(400);
                    problem
                };
                patch.map_err(unreadable).and_then(|patch| {
                    let mut held = held.lock().expect("no thread panics");
                    let taken = gate.admit(held.clone(), Incoming::JsonPatch(patch))?;
                    *held = taken.record;
                    Ok(held.clone())
                })
            }
            _ => {
                let mut problem = Problem::new("Send a GET, or a PATCH of application/json-patch+json.");
                problem.status = Some(415);
                Err(problem)
            }
        };
        let (status, text, kind) = match answer {
            Ok(record) => (200, record.to_string(), "application/json"),
            Err(problem) => {
                (problem.status.unwrap_or(500), write_problem(&problem), "application/problem+json")
            }
        };
        let kind = Header::from_bytes("Content-Type", kind).expect("a header");
        // Whoever has gone does not wait for the answer.
        let _ = request.respond(Response::from_string(text).with_status_code(status).with_header(kind));
    }
}

/// A client: sends a request, and returns the status and the body of the answer.
fn ask(server: SocketAddr, method: &str, body: &str) -> std::io::Result<(u16, String)> {
    let mut stream = TcpStream::connect(server)?;
    write!(
        stream,
        "{method} / HTTP/1.1\r\nHost: {server}\r\nConnection: close\r\nContent-Type: application/json-patch+json\r\nContent-Length: {}\r\n\r\n{body}",
        body.len()
    )?;
    let mut answer = String::new();
    stream.read_to_string(&mut answer)?;
    let (head, body) = answer.split_once("\r\n\r\n").unwrap_or_default();
    let status = head.split(' ').nth(1).and_then(|status| status.parse().ok()).unwrap_or_default();
    Ok((status, body.to_owned()))
}

fn load(server: SocketAddr) -> Result<Batch, Box<dyn std::error::Error>> {
    let (_, record) = ask(server, "GET", "")?;
    Ok(Batch::from_value(&read_value(&record)?)?)
}

/// Saves a form, and says what came of it; whether it was saved.
fn save(who: &str, form: &Form<Batch>, server: SocketAddr) -> Result<bool, Box<dyn std::error::Error>> {
    let submission = form.submit(&Batch::saving())?;
    println!("{who} sends {}", submission.to_json());
    let (status, answer) = ask(server, "PATCH", &submission.to_json())?;
    println!("  {status} {answer}");
    if status == 200 {
        submission.accept_json(&answer)?;
    } else {
        submission.reject(read_problem(&answer)?)?;
        form.findings().iter().for_each(|finding| println!("  {}: {}", finding.place, finding.message));
    }
    Ok(status == 200)
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let batch =
        Batch { number: 7, name: "Rye loaf".into(), loaves: 12, price: Some(6.into()), turnover: None };
    let held = Arc::new(Mutex::new(Form::new(&batch)?.value()));
    let gate = Gate::new(&schema_of::<Batch>()?);
    let http = Arc::new(Server::http("127.0.0.1:0").map_err(|error| error.to_string())?);
    let server = http.server_addr().to_ip().ok_or("no address")?;
    let threads: Vec<_> = (0..2)
        .map(|_| {
            let (http, held, gate) = (http.clone(), held.clone(), gate.clone());
            std::thread::spawn(move || serve(&http, &held, &gate))
        })
        .collect();

    println!("Both open the sheet.");
    let (rosa, tom) = (Form::new(&load(server)?)?, Form::new(&load(server)?)?);
    rosa.enter(at::<Batch>().loaves(), "24")?;
    tom.enter(at::<Batch>().price(), "6.50")?;
    save("Rosa", &rosa, server)?;

    println!("Tom knows nothing of the loaves. What depends on them was tested, so he is told.");
    if !save("Tom", &tom, server)? {
        println!("He takes in what has changed, and keeps his price.");
        tom.rebase(&load(server)?)?;
        save("Tom", &tom, server)?;
    }

    println!("Somebody sends what no form would.");
    for patch in [
        r#"[{"op":"replace","path":"/number","value":8}]"#,
        r#"[{"op":"replace","path":"/turnover","value":1000000}]"#,
        r#"[{"op":"replace","path":"/loaves","value":-1}]"#,
        r#"[{"op":"replace","path":"/loaves"}]"#,
    ] {
        let (status, answer) = ask(server, "PATCH", patch)?;
        println!("  {patch}\n    {status} {answer}");
    }

    let record = held.lock().expect("no thread panics").clone();
    println!("The sheet: {record}");
    assert_eq!(
        record.to_string(),
        r#"{"number":7,"name":"Rye loaf","loaves":24,"price":6.5,"turnover":156}"#
    );
    for _ in &threads {
        http.unblock();
    }
    threads.into_iter().for_each(|thread| thread.join().expect("no thread panics"));
    Ok(())
}
