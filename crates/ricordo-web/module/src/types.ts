/** A value of JSON. */
export type Json = null | boolean | number | string | Json[] | { [name: string]: Json };

/** Anything that can be written as JSON, such as an object of an interface of yours. */
export type Writable = Json | object;

/** Nothing if a value is right; otherwise the message that says why it is not. */
export type CheckAnswer = string | null | undefined | void;

/** Something that is wrong with a place, or doubtful. */
export interface Finding {
  /** The kind: `value_missing`, `range_overflow`, … */
  kind: string;
  /** What a person reads. */
  message: string;
  /** The pointer of the place: `/ingredients/0/grams`. */
  path: string;
  /** The label of the place. */
  label: string;
  /** Whether it is only a warning, which does not prevent a submit. */
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
  /** Whether a deferred check is under way. */
  isPending: boolean;
  canUndo: boolean;
  canRedo: boolean;
  status: "editing" | "submitting" | "accepted" | "rejected";
  /** How often a submit was tried. */
  submits: number;
}

/** All that is known about a place. */
export interface PlaceState {
  path: string;
  label: string;
  /** The text in its control, as typed. */
  entry: string;
  /** The text that is shown while nobody types. */
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
  /** Whether a deferred check of the value is under way. */
  isPending: boolean;
  /** Whether a person has overridden a suggested value. */
  isOverridden: boolean;
  findings: Finding[];
}

/** How often a subscriber was called. */
export interface SubscriberReport {
  name: string | null;
  path: string | null;
  /** How often an action changed something it observes. */
  considered: number;
  called: number;
}

/** Something that both sides have changed differently. */
export interface Conflict {
  path: string;
  base: Json;
  mine: Json;
  theirs: Json;
}

/** A choice, and how it is shown. */
export interface Choice {
  value: Json;
  label?: string;
}

/** Why a submission was rejected: problem details (RFC 9457) with a pointer for each error. */
export interface Problem {
  title?: string;
  detail?: string;
  errors?: { pointer: string; detail: string }[];
}

/** How a form is made. */
export interface FormOptions {
  /** Stores a draft in the browser under this key while the form is dirty, and starts from it after a reload. */
  draft?: string;
  /** Where: with the tab (the default), or with the browser. */
  store?: "tab" | "browser";
  /**
   * The size of the journal in bytes, a million by default; older lines are dropped. Without the second file of WebAssembly there is no
   * journal, and a size is refused.
   */
  journalBytes?: number;
}

/** What is sent, and what follows. */
export interface SubmitOptions {
  /** What is sent: the whole record (the default), only what is dirty, or a JSON Patch (RFC 6902). */
  send?: "record" | "dirty" | "patch";
  /** Only these parts of the form. */
  parts?: string[];
  /** The field that identifies a record. If it is empty, the record is created rather than updated. */
  identifiedBy?: string;
  /** Wraps what is sent in an object with one member of this name. */
  under?: string;
  /** What follows once it is accepted: nothing (the default), the form counts as untouched, or it is cleared. */
  afterAccept?: "stay" | "reset" | "clear";
  /** Fields that keep their values when the form is cleared. */
  keep?: string[];
}

/** What a custom control shows. */
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
  /** Whether a deferred check of the value is under way. */
  isPending: boolean;
  isValid: boolean;
}

/** A custom control. Its element dispatches a bubbling `input` event whenever a person uses it. */
export interface Control {
  /** Draws the state: at first, and whenever it has changed. */
  show(state: ControlState): void;
  /**
   * What a person has done: the text that was typed, a flag, `null` to clear, or a choice. `undefined` to ignore
   * the event.
   */
  read(): string | boolean | null | { choose: Json } | { include: Json; isIn: boolean } | undefined;
  /** Drops what the control keeps beside the state, because the place was reset. */
  reset?(): void;
}

/** How a page is bound. */
export interface BindOptions {
  /**
   * Receives the submission when a person submits a form without errors. If it returns a promise, the submission is
   * accepted once that is fulfilled, and rejected with the error's message if it is rejected. Otherwise call `accept`
   * or `reject`.
   */
  onSubmit?: (submission: Submission) => void | Promise<void>;
  /** What is sent. */
  submit?: SubmitOptions;
  /** Custom controls, by the name in `data-control`. */
  controls?: { [name: string]: (element: Element) => Control };
  /** Whether a dirty page asks before it is left; `true` by default. */
  askBeforeLeaving?: boolean;
}

/** Something in the HTML that does not fit the form. */
export interface Mistake {
  element: Element;
  message: string;
}
