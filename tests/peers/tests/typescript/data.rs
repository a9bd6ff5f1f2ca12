//! The data files of the core, with the module as one more matcher.
