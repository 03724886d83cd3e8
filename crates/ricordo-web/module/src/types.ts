/** A value of JSON. */
export type Json = null | boolean | number | string | Json[] | { [name: string]: Json };

/** Something that is wrong with a place, or doubtful. */
export interface Finding {
  /** The kind: `value_missing`, `range_overflow`, … */
  kind: string;
  /** The message for a person. */
  message: string;
  /** The pointer of the place: `/ingredients/0/grams`. */
  at: string;
  /** The label of the place. */
  label: string;
  /** Whether it is only a warning, and no obstacle. */
  isWarning: boolean;
  /** Whether a person should see it now. */
  isShown: boolean;
}

/** The state of a form as a whole. */
export interface FormState {
  isDirty: boolean;
  isTouched: boolean;
  isValid: boolean;
  isUncommitted: boolean;
  canUndo: boolean;
  canRedo: boolean;
  status: "editing" | "submitting" | "accepted" | "rejected";
  /** How often a submit was tried. */
  submits: number;
}

/** All that is known about a place. */
export interface PlaceState {
  at: string;
  label: string;
  /** The text in its control, as typed. */
  entry: string;
  /** The text by which it is shown where nobody types. */
  display: string;
  value: Json;
  baseline: Json;
  isDirty: boolean;
  isTouched: boolean;
  isValid: boolean;
  isRelevant: boolean;
  isRequired: boolean;
  isReadonly: boolean;
  isUncommitted: boolean;
  /** Whether a person has replaced a suggested value. */
  isOverridden: boolean;
  findings: Finding[];
}

/** How often a subscriber was called. */
export interface SubscriberReport {
  name: string | null;
  at: string | null;
  /** How often an action changed something that it observes. */
  considered: number;
  called: number;
}

/** Something that two sides have changed differently. */
export interface Conflict {
  at: string;
  base: Json;
  mine: Json;
  theirs: Json;
}

/** A choice, and how it is shown. */
export interface Choice {
  value: Json;
  label?: string;
}

/** Why a submission was rejected: problem details (RFC 9457), with a pointer for each error. */
export interface Problem {
  title?: string;
  detail?: string;
  errors?: { pointer: string; detail: string }[];
}

/** How a form is made. */
export interface FormOptions {
  /** Keeps what is typed in the browser under this key, and starts from it after a reload. */
  draft?: string;
  /** Where: with the tab (the default), or with the browser. */
  store?: "tab" | "browser";
  /** How many bytes of its journal are kept: a million, unless this says otherwise. Older lines are dropped. */
  journalBytes?: number;
}

/** What is sent, and what follows. */
export interface Recipe {
  /** What is sent: the whole record (the default), only what is dirty, or a JSON Patch (RFC 6902). */
  send?: "record" | "dirty" | "patch";
  /** Only these parts of the form. */
  parts?: string[];
  /** The field that identifies a record; while it is empty, the record is created. */
  identifiedBy?: string;
  /** Wraps what is sent in an object with one member of this name. */
  under?: string;
  /** What follows once it is accepted: nothing (the default), nothing is touched any more, or the form is cleared. */
  then?: "stay" | "reset" | "clear";
  /** Fields that keep their values when the form is cleared. */
  keep?: string[];
}

/** What a control of your own shows. */
export interface ControlState {
  text: string;
  label: string;
  choices: { value: Json; label: string; isChosen: boolean }[];
  findings: string[];
  isRequired: boolean;
  isReadonly: boolean;
  isRelevant: boolean;
  isDirty: boolean;
  isTouched: boolean;
  isValid: boolean;
}

/** A control of your own. Its element dispatches an `input` event that bubbles when a person has done something. */
export interface Control {
  /** Shows a state: at first, and whenever it has changed. */
  show(state: ControlState): void;
  /**
   * What a person has done: the text that was typed, a flag, `null` to clear, or one of the choices. `undefined` if it
   * concerns nobody.
   */
  read(): string | boolean | null | { choose: Json } | { include: Json; isIn: boolean } | undefined;
  /** The place was reset: what the control keeps beside the state is to be dropped. */
  reset?(): void;
}

/** How a page is bound. */
export interface BindOptions {
  /**
   * Is given what is to be sent when a person submits a form without errors. If it returns a promise, that answers:
   * once it is kept, the submission is accepted; if it is broken, rejected with the message of the error. To answer
   * yourself, call `accept` or `reject`.
   */
  onSubmit?: (submission: Submission) => void | Promise<void>;
  /** What is sent. */
  recipe?: Recipe;
  /** Controls of your own, by the name in `data-control`. */
  controls?: { [name: string]: (element: Element) => Control };
  /** Whether a page with changes asks before it is left; it does unless this is `false`. */
  asksBeforeLeaving?: boolean;
}

/** Something in the HTML that does not fit the form. */
export interface Mistake {
  element: Element;
  message: string;
}
