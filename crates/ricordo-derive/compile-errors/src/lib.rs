//! Nothing: the tests are beside it.
