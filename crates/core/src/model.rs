//! What there is: keys and values, where they are, layers, contexts, what is declared.

pub(crate) mod axis;
pub(crate) mod candidate;
pub(crate) mod catalogue;
pub(crate) mod condition;
pub(crate) mod convert;
pub(crate) mod document;
pub(crate) mod encrypted;
pub(crate) mod fact;
pub(crate) mod key;
pub(crate) mod layer;
pub(crate) mod near;
pub(crate) mod note;
pub(crate) mod pattern;
pub(crate) mod place;
pub(crate) mod reference;
pub(crate) mod scope;
pub(crate) mod secret;
pub(crate) mod text;
pub(crate) mod value;
pub(crate) mod variable;
pub(crate) mod words;
