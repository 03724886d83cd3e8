//! Reading files, and saying what is wrong with them.

use std::fs;
use std::io::{self, BufRead, BufReader, Read, Write};
use std::ops::Range;
use std::path::Path;
use std::sync::Arc;

use annotate_snippets::{AnnotationKind, Level, Origin, Renderer, Snippet};
use anstream::adapter::strip_str;
use ricordo::engine::{CompiledSchema, Engine, LeftOut};
use ricordo::exchange::{
    Entry, JournalLines, load, read_data, read_definition, read_draft, read_journal, read_value,
};
use ricordo::schema::Location;
use ricordo::{Error, Value};

use crate::screen::{self, plain};

/// The size limit for a file that is read whole: 256 MiB.
const MOST_BYTES: u64 = 256 << 20;
/// The size limit for one journal line: 64 MiB.
const MOST_BYTES_OF_LINE: u64 = 64 << 20;

/// Refuses what is longer than it may be.
fn within_limit(bytes: &[u8], most: u64, name: &str) -> Result<(), Problem> {
    if bytes.len() as u64 <= most {
        return Ok(());
    }
    Err(Problem::of_input(&format!("{name} is longer than {} MiB, the most that is read", most >> 20)))
}

/// Writes a file beside the one of this name, and then puts it in its place: whatever goes wrong, the old one is there or the new one.
pub(crate) fn write_whole(path: &Path, text: &str) -> io::Result<()> {
    let mut beside = path.as_os_str().to_owned();
    beside.push(".partial");
    let beside = Path::new(&beside);
    let mut file = fs::File::create(beside)?;
    let written = file.write_all(text.as_bytes()).and_then(|()| file.sync_all());
    written.and_then(|()| fs::rename(beside, path)).inspect_err(|_| {
        // A partial file is useless.
        let _ = fs::remove_file(beside);
    })
}

/// A text, and the name it goes by in messages.
#[derive(Clone, Debug)]
pub(crate) struct File {
    pub(crate) name: String,
    pub(crate) text: String,
}

/// Why a command could not be carried out.
#[derive(Debug)]
pub(crate) enum Problem {
    /// Something that is wrong with what it was given, ready to be shown.
    Input(String),
    /// Its output could not be written.
    Output(io::Error),
}

impl From<io::Error> for Problem {
    fn from(error: io::Error) -> Self {
        Problem::Output(error)
    }
}

impl Problem {
    /// A problem with the arguments, described in one sentence.
    pub(crate) fn of_input(problem: &str) -> Self {
        Problem::Input(format!("Error: {}\n", plain(problem)))
    }
}

/// Refuses to read standard input twice: the second time, nothing is left of it.
pub(crate) fn refuse_two_standard_inputs<'a>(
    paths: impl IntoIterator<Item = &'a Path>,
) -> Result<(), Problem> {
    if paths.into_iter().filter(|path| is_standard_input(path)).count() < 2 {
        return Ok(());
    }
    Err(Problem::of_input("“-”, standard input, stands for one file only; give the others by name"))
}

fn is_standard_input(path: &Path) -> bool {
    path.as_os_str() == "-"
}

/// The name of a file in messages.
fn name_of(path: &Path) -> String {
    if is_standard_input(path) { "standard input".to_owned() } else { path.display().to_string() }
}

impl File {
    /// A text that is part of the program.
    pub(crate) fn bundled(name: &str, text: &str) -> Self {
        File { name: name.to_owned(), text: text.to_owned() }
    }

    /// Reads a file; `-` is standard input.
    pub(crate) fn read(path: &Path) -> Result<Self, Problem> {
        let (reader, name) = open(path)?;
        let mut bytes = Vec::new();
        reader.take(MOST_BYTES + 1).read_to_end(&mut bytes).map_err(|error| unreadable(path, &error))?;
        within_limit(&bytes, MOST_BYTES, &name)?;
        let text = text_of(bytes, &name, 1)?;
        Ok(File { text: without_mark(text), name })
    }

    /// The problem that an error in this file is.
    pub(crate) fn problem(&self, error: &Error, hides: bool) -> Problem {
        drawn(&self.name, &self.text, error, hides)
    }

    /// An error of the form that this file defines.
    pub(crate) fn refused(&self, refused: &Error) -> Problem {
        Problem::of_input(&format!("{}: {refused}", self.name))
    }

    /// The schema that this file defines.
    pub(crate) fn schema(&self) -> Result<Arc<CompiledSchema>, Problem> {
        Ok(Arc::new(read_definition(&self.text).map_err(|error| self.problem(&error, self.hides()))?))
    }

    /// Returns whether nothing is shown of the file: a definition that is refused may have secrets all the
    /// same. One that is not even JSON is shown unless it may have any.
    fn hides(&self) -> bool {
        fn has_secrets(value: &Value) -> bool {
            match value {
                Value::Record(members) => {
                    members.get("writeOnly") == Some(&Value::Flag(true))
                        || members.iter().any(|(_, member)| has_secrets(member))
                }
                Value::List(items) => items.iter().any(has_secrets),
                _ => false,
            }
        }
        match read_value(&self.text) {
            Ok(value) => has_secrets(&value),
            Err(_) => self.text.contains("writeOnly") || self.text.contains("\\u"),
        }
    }

    /// The warnings about the form that this file defines, ready to be shown.
    pub(crate) fn warnings(&self, schema: &CompiledSchema) -> impl Iterator<Item = String> {
        let hides = schema.schema().has_secrets();
        schema.warnings().iter().map(move |warning| drawn_one(&self.name, &self.text, warning, hides, true))
    }

    /// The form that this file defines, holding this data.
    pub(crate) fn engine(&self, data: Option<&File>) -> Result<Engine, Problem> {
        self.engine_of(&self.schema()?, data)
    }

    /// The form that this file defines as a draft has it, and what of the draft no longer fits.
    pub(crate) fn restored(
        &self,
        draft: &File,
        data: Option<&File>,
    ) -> Result<(Engine, Vec<LeftOut>), Problem> {
        let schema = self.schema()?;
        let hides = schema.schema().has_secrets();
        let read = read_draft(&draft.text).map_err(|error| draft.problem(&error, hides))?;
        let record = match data {
            Some(data) => {
                let record = read_data(&data.text, schema.schema());
                Some(record.map_err(|error| data.problem(&error, hides))?)
            }
            None => None,
        };
        let restored = Engine::restored(&schema, &read, record).map_err(|refused| draft.refused(&refused))?;
        Ok((restored.engine, restored.left_out))
    }

    /// The form of this schema, which the file defines, holding this data.
    pub(crate) fn engine_of(
        &self,
        schema: &Arc<CompiledSchema>,
        data: Option<&File>,
    ) -> Result<Engine, Problem> {
        match data {
            Some(data) => {
                load(&data.text, schema).map_err(|error| data.problem(&error, schema.schema().has_secrets()))
            }
            None => Engine::new(schema, None).map_err(|refused| self.refused(&refused)),
        }
    }
}

/// A journal that is read line by line, so that it may be longer than memory.
pub(crate) struct Journal {
    pub(crate) name: String,
    /// Whether it is a JSON Patch.
    pub(crate) is_patch: bool,
    reader: Box<dyn BufRead>,
    lines: JournalLines,
    count: usize,
}

impl Journal {
    /// Opens a journal; `-` is standard input.
    pub(crate) fn open(path: &Path) -> Result<Self, Problem> {
        let (reader, name) = open(path)?;
        Ok(Journal { name, is_patch: false, reader, lines: JournalLines::new(), count: 0 })
    }

    /// The next entry; nothing at the end. Excerpts of the journal are shown unless they are to be hidden.
    pub(crate) fn next(&mut self, hides: bool) -> Result<Option<Entry>, Problem> {
        loop {
            let mut bytes = Vec::new();
            let read = self.reader.by_ref().take(MOST_BYTES_OF_LINE + 1).read_until(b'\n', &mut bytes);
            if read.map_err(|error| unreadable(Path::new(&self.name), &error))? == 0 {
                return Ok(None);
            }
            self.count += 1;
            within_limit(&bytes, MOST_BYTES_OF_LINE, &format!("{}, line {}", self.name, self.count))?;
            if self.count == 1 && without_mark_of(&bytes).starts_with(b"[") {
                return self.patch(bytes, hides).map(Some);
            }
            let text = text_of(bytes, &self.name, self.count)?;
            let text = if self.count == 1 { without_mark(text) } else { text };
            let read = self.lines.read(&text);
            if let Some(entry) = read.map_err(|error| drawn(&self.name, &text, &error, hides))? {
                return Ok(Some(entry));
            }
        }
    }

    /// A JSON Patch, which is one entry.
    fn patch(&mut self, mut bytes: Vec<u8>, hides: bool) -> Result<Entry, Problem> {
        self.is_patch = true;
        let rest = self.reader.by_ref().take(MOST_BYTES + 1).read_to_end(&mut bytes);
        rest.map_err(|error| unreadable(Path::new(&self.name), &error))?;
        within_limit(&bytes, MOST_BYTES, &self.name)?;
        let text = without_mark(text_of(bytes, &self.name, 1)?);
        let read = read_journal(&text).map_err(|error| drawn(&self.name, &text, &error, hides))?;
        read.into_iter().next().ok_or_else(|| Problem::of_input(&format!("{}: no patch", self.name)))
    }
}

fn open(path: &Path) -> Result<(Box<dyn BufRead>, String), Problem> {
    let name = name_of(path);
    if is_standard_input(path) {
        return Ok((Box::new(io::stdin().lock()), name));
    }
    let file = fs::File::open(path).map_err(|error| unreadable(path, &error))?;
    Ok((Box::new(BufReader::new(file)), name))
}

/// Bytes as text, of which the first line has this number in its file.
fn text_of(bytes: Vec<u8>, name: &str, line: usize) -> Result<String, Problem> {
    String::from_utf8(bytes).map_err(|error| {
        let before = &error.as_bytes()[..error.utf8_error().valid_up_to()];
        let line = line + before.split(|byte| *byte == b'\n').count() - 1;
        Problem::of_input(&format!("{name}, line {line}: this is not UTF-8 text"))
    })
}

/// A text without the byte order mark that some editors begin a file with.
fn without_mark(text: String) -> String {
    text.strip_prefix('\u{feff}').map(str::to_owned).unwrap_or(text)
}

fn without_mark_of(bytes: &[u8]) -> &[u8] {
    bytes.strip_prefix("\u{feff}".as_bytes()).unwrap_or(bytes)
}

/// Describes an error and draws its line, unless the line may hold a secret.
fn drawn(name: &str, text: &str, error: &Error, hides: bool) -> Problem {
    let each = error.all().map(|error| drawn_one(name, text, error, hides, false));
    Problem::Input(each.collect::<Vec<_>>().join("\n"))
}

fn drawn_one(name: &str, text: &str, error: &Error, hides: bool, is_warning: bool) -> String {
    let word = if is_warning { "Warning" } else { "Error" };
    let (help, message) = (error.help(), error.message());
    let location = error.location();
    let excerpt = location.filter(|_| !hides).map(|at| Excerpt::of(text, at));
    let Some(excerpt) = excerpt else {
        let help = help.map_or_else(String::new, |help| format!("  Help: {}\n", plain(help)));
        let at = location.map(|at| format!(":{}:{}", at.line, at.column)).unwrap_or_default();
        let place = format!("{name}{at}");
        return format!("{word}: {}: {}\n{help}", plain(&place), plain(&message));
    };
    let name = plain(name);
    let annotation = AnnotationKind::Primary.span(excerpt.span);
    let snippet = Snippet::source(excerpt.line).line_start(excerpt.number).annotation(annotation);
    let level = if is_warning { Level::WARNING } else { Level::ERROR };
    let group = level.with_name(word).primary_title(&*message);
    // The column counts from the start of the line, which a cut excerpt does not show.
    let mut group = match location.filter(|_| excerpt.is_cut) {
        Some(at) => {
            let origin = Origin::path(&*name).line(excerpt.number).char_column(at.column);
            group.element(origin).element(snippet)
        }
        None => group.element(snippet.path(&*name)),
    };
    if let Some(help) = help {
        group = group.element(Level::HELP.with_name("Help").message(help));
    }
    let renderer = if screen::errors_in_colour() { Renderer::styled() } else { Renderer::plain() };
    let drawn = renderer.term_width(screen::width()).render(&[group]);
    // The renderer takes an excerpt that has its location above it for one of another file, and puts a mark before it.
    let is_mark = |line: &&str| excerpt.is_cut && strip_str(line).to_string().trim() == ":::";
    drawn.lines().filter(|line| !is_mark(line)).fold(String::new(), |shown, line| shown + line + "\n")
}

/// The line that a stretch of a text begins in.
struct Excerpt<'a> {
    line: &'a str,
    number: usize,
    /// The stretch within the line, as far as it lies there.
    span: Range<usize>,
    /// Whether the line begins earlier.
    is_cut: bool,
}

impl<'a> Excerpt<'a> {
    fn of(text: &'a str, at: &Location) -> Self {
        /// The bytes shown on either side of the error. A line can be as long as the file.
        const AROUND: usize = 400;
        let number = at.line;
        let span = &at.span;
        let boundary = |at: usize| (0..=at).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
        // Search only this window: one line can have thousands of errors.
        let from = boundary(span.start.saturating_sub(AROUND));
        let to = boundary((span.start + AROUND).min(text.len()));
        let shown = text[from..span.start].rfind('\n').map_or(from, |at| from + at + 1);
        let shown_end = text[span.start..to].find('\n').map_or(to, |at| span.start + at);
        Excerpt {
            line: &text[shown..shown_end],
            number,
            span: span.start - shown..span.end.clamp(span.start, shown_end) - shown,
            is_cut: shown > 0 && !text[..shown].ends_with('\n'),
        }
    }
}

fn unreadable(path: &Path, error: &io::Error) -> Problem {
    let mut message = format!("Error: {} cannot be read: {error}\n", plain(&name_of(path)));
    if error.kind() == io::ErrorKind::NotFound
        && let Some(wanted) = path.file_name().and_then(|name| name.to_str())
    {
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let entries = fs::read_dir(folder).into_iter().flatten().flatten();
        let names: Vec<String> = entries.filter_map(|entry| entry.file_name().into_string().ok()).collect();
        if let Some(near) = ricordo::schema::nearest(wanted, names.iter().map(String::as_str)) {
            let near = path.with_file_name(near).display().to_string();
            message = format!("{message}  Help: did you mean {}?\n", plain(&near));
        }
    }
    Problem::Input(message)
}
