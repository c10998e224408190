//! What scripts get and give, with the types that are written for them.

use serde::Serialize;
use serde::de::DeserializeOwned;
use tsify::{Ts, Tsify};
use wasm_bindgen::prelude::*;

/// A value as a script gets it.
pub(crate) fn given<T: Tsify + Serialize>(value: T) -> Given<T> {
    Ok(value.into_ts()?)
}

/// See [`given`]. What can be written in Rust can be written in a script: it never fails.
pub(crate) type Given<T> = Result<Ts<T>, JsError>;

/// A value that a script gives.
pub(crate) fn taken<T>(value: &Ts<T>) -> Result<T, JsError>
where
    T: Tsify<JsType: Clone> + DeserializeOwned,
{
    Ok(value.to_rust()?)
}
