//! What a person gets to see when something cannot be done.

use askama::Template;
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Response};

use crate::store::StoreError;

/// Why a request was not answered as hoped; knows its page.
#[derive(Debug, thiserror::Error)]
pub enum AppError {
    #[error("There is nothing at this address. It may have been deleted.")]
    NotFound,
    /// What was sent cannot be used; the text says why and what would work.
    #[error("{0}")]
    Unusable(String),
    #[error("You have to be let in first.")]
    NotAllowed,
    /// It could be done another time; the text says so.
    #[error("{0}")]
    Busy(String),
    /// The data folder has as much in it as it may have.
    #[error("{0}")]
    Full(String),
    #[error("Nothing can be kept at the moment: {0}. What was acknowledged before is safe.")]
    NotKept(String),
    #[error("Something went wrong on the server. It has been noted in its log.")]
    Internal(String),
}

impl From<StoreError> for AppError {
    fn from(e: StoreError) -> Self {
        AppError::NotKept(e.0)
    }
}

impl From<rusqlite::Error> for AppError {
    fn from(e: rusqlite::Error) -> Self {
        AppError::NotKept(e.to_string())
    }
}

impl From<std::io::Error> for AppError {
    fn from(e: std::io::Error) -> Self {
        AppError::NotKept(e.to_string())
    }
}

impl From<askama::Error> for AppError {
    fn from(e: askama::Error) -> Self {
        AppError::Internal(e.to_string())
    }
}

pub type Result<T> = std::result::Result<T, AppError>;

#[derive(Template)]
#[template(path = "error.html")]
struct ErrorPage<'a> {
    message: &'a str,
}

impl IntoResponse for AppError {
    fn into_response(self) -> Response {
        let status = match &self {
            AppError::NotFound => StatusCode::NOT_FOUND,
            AppError::Unusable(_) => StatusCode::UNPROCESSABLE_ENTITY,
            AppError::NotAllowed => StatusCode::FORBIDDEN,
            AppError::Busy(_) => StatusCode::SERVICE_UNAVAILABLE,
            AppError::Full(_) | AppError::NotKept(_) => StatusCode::INSUFFICIENT_STORAGE,
            AppError::Internal(what) => {
                tracing::error!("{what}");
                StatusCode::INTERNAL_SERVER_ERROR
            }
        };
        let message = self.to_string();
        let page = ErrorPage { message: &message }.render();
        // Scripts show this line as it is; people get the page.
        let line: String = message
            .chars()
            .filter(|c| c.is_ascii() && !c.is_control())
            .collect();
        (
            status,
            [("x-bozzetto-says", line)],
            Html(page.unwrap_or(message)),
        )
            .into_response()
    }
}
