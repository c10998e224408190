//! Captures that show another one, which was placed on a board: what is hidden in that later is hidden in them as well.

use std::collections::HashSet;

use super::{marking, queries, take};
use crate::app::App;
use crate::error::{AppError, Result};

/// Makes those anew that show what has been hidden since. How far it came is in the store, so it is the same for one that
/// was ended in the middle of it.
pub async fn catch_up(app: &App) -> Result<()> {
    let mut failed = HashSet::new();
    let mut why = String::new();
    loop {
        let all = app.store.read(queries::behind).await?;
        let next = all.into_iter().find(|(_, id)| !failed.contains(id));
        let Some((lesson, id)) = next else { break };
        // What is being marked of it shows it, too.
        let done = async {
            marking::settle(app, lesson, id).await?;
            take::make_anew(app, lesson, id, |cut| cut, true)
                .await
                .map(|_| ())
        };
        if let Err(e) = done.await {
            tracing::warn!("capture {id} is not made anew: {e:?}");
            why = e.to_string();
            failed.insert(id);
        }
    }
    match failed.len() {
        0 => Ok(()),
        n => {
            let others = match n {
                1 => "another one that shows it".to_owned(),
                n => format!("{n} others that show it"),
            };
            Err(AppError::Unusable(format!(
                "It is hidden here, but not yet in {others}: {why} It is tried again with the next change."
            )))
        }
    }
}
