//! Binds the forms of web pages to [Ricordo](ricordo). The HTML is yours; the form holds the state.
//!
//! A control's `name` is the JSON Pointer of its place:
//!
//! ```html
//! <form id="batch">
//!   <label>Loaves <input name="/loaves" inputmode="numeric"></label>
//!   <p data-findings-of="/loaves"></p>
//!   <table><tbody>
//!     <template data-rows-of="/ingredients">
//!       <tr><td><input name="/grams" aria-label="Grams"></td>
//!           <td><output name="/cost"></output></td>
//!           <td><button type="button" name="" value="remove">Remove</button></td></tr>
//!     </template>
//!   </tbody></table>
//!   <button type="button" name="/ingredients" value="add">Add</button>
//!   <button>Save</button> <button type="reset">Reset</button>
//! </form>
//! ```
//!
//! ```no_run
//! # use ricordo::{Form, Model};
//! # #[derive(Model)] struct Batch { loaves: u32 }
//! # fn page(element: &web_sys::Element) -> Result<(), Box<dyn std::error::Error>> {
//! let form = Form::new(&Batch { loaves: 12 })?;
//! let bound = ricordo_web::bind(&form, element, ricordo_web::Options::new())?;
//! // The page follows the form, and the form follows the page, until `bound` is dropped.
//! # Ok(()) }
//! ```
//!
//! # What the HTML says
//!
//! | in the HTML | meaning |
//! |---|---|
//! | `name="/loaves"` on `input`, `select`, `textarea` | the control shows the place, and changes it |
//! | `name="/cost"` on `output` | the element shows the place in its display format |
//! | `name="/ingredients" value="add"` on `button` | pressing the button does this to the place: see [`Verb`] |
//! | `data-control="stars"` beside `name` | a custom control: see [`Control`] |
//! | `data-value-of="/cost"` | the element's text is the value in its display format |
//! | `data-shown-when="/on_sale"` | the element is hidden unless the flag is set |
//! | `data-findings-of="/loaves"` | the element shows the place's messages |
//! | `data-findings-of=""` | the summary: messages about the form, and those that have no element of their own |
//! | `data-part-of="/preferment"` | the element is hidden while the place is not relevant |
//! | `data-part-of` on `template` | its content is in the page while the optional record is there |
//! | … and `data-variant="courier"` | … while the record has this variant |
//! | `data-rows-of="/ingredients"` on `template` | its content is in the page once for each row |
//! | `data-unbound` | the adapter ignores the element and everything in it |
//!
//! In a template, pointers are relative to the row or the record: `/grams` is a field of the row, and the empty pointer is the
//! row itself. A row keeps its elements wherever it moves, and with them its focus and its caret. Ids in a template get a
//! suffix in each row, and so do references to them.
//!
//! # What the page says
//!
//! | in the page | from the form |
//! |---|---|
//! | `readonly`, or `disabled` where HTML has no `readonly` | a person cannot change the place |
//! | `hidden` | the place is not relevant |
//! | `aria-required`, `aria-invalid`, `aria-describedby` | required; has errors that are shown; the element with its messages |
//! | `:valid`, `:invalid`, `:user-invalid` | the validity of each control (`setCustomValidity`) is that of its place |
//! | `data-dirty`, `data-touched`, `data-pending`, `data-uncommitted`, `data-overridden`, `data-leads` | the marks, for style sheets |
//! | `data-dirty`, `data-touched`, `data-invalid`, `data-uncommitted`, `data-pending`, `data-status` on the form | the state of the form |

#![cfg_attr(not(test), warn(missing_docs))]

mod announcements;
mod binder;
mod bound;
mod branch;
mod control;
mod dom;
mod drafts;
mod events;
mod messages;
mod mistake;
mod options;
mod page;
mod plan;
mod rows;
mod scope;
mod text;
mod timer;
mod verb;
mod widget;

pub use bound::{BindError, BoundForm, bind};
pub use control::Control;
pub use drafts::{StoredDraft, forget_draft, stored_draft};
pub use mistake::Mistake;
pub use options::{DraftStore, Options};
pub use verb::Verb;
