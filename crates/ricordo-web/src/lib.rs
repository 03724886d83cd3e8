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
//! let bound = ricordo_web::bind(&form, element, ricordo_web::BindOptions::new())?;
//! // The page follows the form, and the form follows the page, until `bound` is dropped.
//! # Ok(()) }
//! ```
//!
#![doc = include_str!("html.md")]
#![cfg_attr(not(test), warn(missing_docs))]

mod announcements;
mod binder;
mod bound;
mod branch;
mod command;
mod control;
mod dom;
mod drafts;
mod elements;
mod events;
mod listeners;
mod messages;
mod mistake;
mod options;
mod page;
mod plan;
mod rows;
mod scope;
mod text;
mod timer;
mod widget;

pub use bound::{BindError, BoundForm, bind};
pub use command::Command;
pub use control::Control;
pub use drafts::{StoredDraft, forget_draft, forget_former_draft, former_draft, stored_draft};
pub use mistake::Mistake;
pub use options::{BindOptions, DraftStore};
