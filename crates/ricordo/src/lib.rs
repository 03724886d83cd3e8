//! The state of application forms, without any interface code.
