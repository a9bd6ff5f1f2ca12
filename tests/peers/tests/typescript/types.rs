//! What compiles, and what must not.
