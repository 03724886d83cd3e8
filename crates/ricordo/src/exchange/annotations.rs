//! Annotations: labels, defaults, and what stands under `x-ricordo`.

use std::time::Duration;

use rust_decimal::Decimal;

use super::json::{JsonNode, Member};
use super::keywords::{self, Keywords};
use super::members::refuse_unknown;
use super::rules;
use crate::schema::{
    Commit, DisplayFormat, Error, FindingKind, Findings, Kind, NumberFormat, Part, Reveal, StepSize, nearest,
};
use crate::value::Value;

/// Reads annotations: labels, defaults, and the members of `x-ricordo`. Errors are added to the faults.
pub(super) fn annotate(part: &mut Part, keywords: &Keywords<'_>, faults: &mut Vec<Error>) {
    for name in ["title", "description", "default", "readOnly", "writeOnly"] {
        if let Some(node) = keywords.get(name) {
            faults.extend(annotate_by(part, name, node).err());
        }
    }
    let own = keywords.get("x-ricordo").map(|node| node.members()).transpose();
    for member in &own
        .unwrap_or_else(|error| {
            faults.push(error);
            None
        })
        .unwrap_or_default()
    {
        faults.extend(keywords::check_own(member).and_then(|()| own_annotation(part, member)).err());
    }
}

fn annotate_by(part: &mut Part, name: &str, node: JsonNode<'_>) -> Result<(), Error> {
    match name {
        "title" => part.label = Some(node.string()?.as_ref().into()),
        "description" => part.description = Some(node.string()?.as_ref().into()),
        "default" => part.default = Some(node.value()?),
        "readOnly" => part.readonly |= node.flag()?,
        _ => part.secret |= node.flag()?,
    }
    Ok(())
}

/// Reads a member of `x-ricordo`.
fn own_annotation(part: &mut Part, member: &Member<'_>) -> Result<(), Error> {
    let node = member.node;
    match &*member.name {
        "reveal" => part.reveal = read_reveal(node)?,
        "findings" => {
            part.findings = match &*node.string()? {
                "all" => Findings::All,
                "first" => Findings::First,
                _ => return Err(node.error("“findings” is “all” or “first”")),
            };
        }
        "deferred" => {
            let checks = read_deferred(part, member)?;
            part.deferred.clear();
            for (check, pause) in checks {
                part.add_deferred(&check, pause);
            }
        }
        "step" => part.constraints.step = Some(StepSize::new(read_step(part, member)?)),
        "commit" => part.commit = read_commit(node)?,
        "display" => part.display = Some(read_display(node)?),
        "local" => part.local = node.flag()?,
        "trim" if !matches!(part.kind, Kind::Text) => {
            return Err(member.name_error("“trim” is for texts".to_owned()));
        }
        "trim" => part.trim = node.flag()?,
        "minimum" => match time_bound(part, member)? {
            Some(bound) => part.constraints.earliest = Some(bound),
            None => part.rules.push(rules::read(member)?),
        },
        "maximum" => match time_bound(part, member)? {
            Some(bound) => part.constraints.latest = Some(bound),
            None => part.rules.push(rules::read(member)?),
        },
        "key" => part.key = Some(node.string()?.as_ref().into()),
        "messages" => read_messages(part, node)?,
        "constraint" => part.rules.extend(rules::read_constraints(member)?),
        _ => part.rules.push(rules::read(member)?),
    }
    Ok(())
}

/// A bound of dates or times; `None` if it is a formula.
fn time_bound(part: &Part, member: &Member<'_>) -> Result<Option<Value>, Error> {
    if !matches!(part.kind, Kind::Date | Kind::Time | Kind::DateTime(_)) {
        let problem =
            format!("“{0}” is for dates and times here; for numbers, write “{0}” beside “type”", member.name);
        return Err(member.name_error(problem));
    }
    let text = member.node.string()?;
    let bound = part.kind.read_time(&text);
    // Text that begins with a digit is a date or time in the wrong format.
    if bound.is_none()
        && (cfg!(not(feature = "formula")) || text.starts_with(|first: char| first.is_ascii_digit()))
    {
        return Err(member.node.error(format!("“{text}” is not {}", part.kind.expectation())));
    }
    Ok(bound)
}

fn read_messages(part: &mut Part, node: JsonNode<'_>) -> Result<(), Error> {
    for message in node.members()? {
        let Some(kind) = FindingKind::of_name(&message.name) else {
            let near = nearest(&message.name, FindingKind::ALL.map(FindingKind::name));
            return Err(message
                .name_error(format!("there is no finding “{}”", message.name))
                .with_nearest_name(near));
        };
        if kind == FindingKind::CustomError {
            let problem = "a constraint has its own message, so none is said here";
            return Err(message.name_error(problem.to_owned()));
        }
        part.set_message(kind, &message.node.string()?);
    }
    Ok(())
}

fn read_reveal(node: JsonNode<'_>) -> Result<Reveal, Error> {
    match &*node.string()? {
        "touched" => Ok(Reveal::Touched),
        "always" => Ok(Reveal::Always),
        "submit" => Ok(Reveal::Submit),
        _ => Err(node.error("“reveal” is “touched”, “always” or “submit”")),
    }
}

fn read_step(part: &Part, member: &Member<'_>) -> Result<Decimal, Error> {
    let has_steps =
        matches!(part.kind, Kind::Integer | Kind::Decimal | Kind::Date | Kind::Time | Kind::DateTime(_));
    if !has_steps {
        return Err(member.name_error("“step” is for numbers, dates and times"));
    }
    let step = member.node.number()?;
    if step <= Decimal::ZERO {
        return Err(member.node.error("“step” is a number greater than zero"));
    }
    Ok(step)
}

/// The checks of a field that take time.
fn read_deferred(part: &Part, of: &Member<'_>) -> Result<Vec<(String, Duration)>, Error> {
    const EXPECTED: &str =
        "deferred checks are a list of {\"check\": NAME}, each of which can have a \"pause_ms\"";
    if !part.is_field() {
        return Err(of.name_error("“deferred” is for fields"));
    }
    let check = |node: JsonNode<'_>| {
        let members = node.members().map_err(|_| node.error(EXPECTED))?;
        refuse_unknown(&members, &["check", "pause_ms"], "deferred")?;
        let named = |name: &str| members.iter().find(|member| member.name == name).map(|member| member.node);
        let name = named("check").ok_or_else(|| node.error(EXPECTED))?.string()?;
        let pause = named("pause_ms").map(|node| node.count()).transpose()?.unwrap_or_default();
        Ok((name.into_owned(), Duration::from_millis(pause)))
    };
    of.node.items().map_err(|_| of.node.error(EXPECTED))?.into_iter().map(check).collect()
}

fn read_commit(node: JsonNode<'_>) -> Result<Commit, Error> {
    const EXPECTED: &str = "“commit” is “input”, “leave”, or a pause such as {\"pause_ms\": 300}";
    if node.is_object() {
        return match &node.members()?[..] {
            [pause] if pause.name == "pause_ms" => {
                Ok(Commit::Pause(Duration::from_millis(pause.node.count()?)))
            }
            _ => Err(node.error(EXPECTED)),
        };
    }
    match node.string().as_deref() {
        Ok("input") => Ok(Commit::Input),
        Ok("leave") => Ok(Commit::Leave),
        _ => Err(node.error(EXPECTED)),
    }
}

fn read_display(node: JsonNode<'_>) -> Result<DisplayFormat, Error> {
    const KNOWN: [&str; 4] = ["decimals", "grouping", "decimal_comma", "pattern"];
    let members = node.members()?;
    let (mut number, mut pattern) = (NumberFormat::default(), None);
    for member in &members {
        match &*member.name {
            "decimals" => number.decimals = Some(u32::try_from(member.node.count()?).unwrap_or(u32::MAX)),
            "grouping" => number.grouping = member.node.flag()?,
            "decimal_comma" => number.decimal_comma = member.node.flag()?,
            "pattern" => pattern = Some(member.node.string()?),
            name => {
                let message = format!("a display format has no “{name}”; it has {}", KNOWN.join(", "));
                return Err(member.name_error(message).with_nearest_name(nearest(name, KNOWN)));
            }
        }
    }
    match pattern {
        Some(_) if members.len() > 1 => {
            Err(node.error("a “pattern” is for dates and times, and has nothing beside it"))
        }
        Some(pattern) => Ok(DisplayFormat::Pattern(pattern.as_ref().into())),
        None => Ok(DisplayFormat::Number(number)),
    }
}
