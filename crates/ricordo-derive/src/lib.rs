//! The derive macro of Ricordo.
