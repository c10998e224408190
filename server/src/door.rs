//! The addresses of the server, each with who may use it.
//!
//! Every route is entered here before it goes to the router, so that there is a list of all of them:
//! the tests go through it, and a route that nobody has thought about is found.

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::handler::Handler;
use axum::routing::{get, post};

use crate::app::App;

/// Who may use an address.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub enum Access {
    /// Whoever has given the passphrase; on a server that only this machine reaches, everybody.
    Presenter,
    /// Whoever joined the lesson that the address names.
    Participant,
    Anybody,
}

/// One route.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Debug)]
pub struct Route {
    pub method: &'static str,
    pub path: String,
    pub access: Access,
}

/// Routes that are being put together.
pub struct Routes {
    access: Access,
    router: Router<App>,
    list: Vec<Route>,
}

/// How large the body of a request may be that is no upload, in bytes.
pub const SMALL: usize = 1024 * 1024;

impl Routes {
    /// Those that are entered next are for these people.
    pub fn of(access: Access) -> Self {
        Self {
            access,
            router: Router::new(),
            list: Vec::new(),
        }
    }

    fn enter(&mut self, method: &'static str, path: &str) {
        self.list.push(Route {
            method,
            path: path.to_owned(),
            access: self.access,
        });
    }

    pub fn get<H, T>(mut self, path: &str, handler: H) -> Self
    where
        H: Handler<T, App>,
        T: 'static,
    {
        self.enter("GET", path);
        self.router = self.router.route(path, get(handler));
        self
    }

    pub fn post<H, T>(self, path: &str, handler: H) -> Self
    where
        H: Handler<T, App>,
        T: 'static,
    {
        self.upload(path, handler, SMALL)
    }

    /// Takes a body of up to `limit` bytes.
    pub fn upload<H, T>(mut self, path: &str, handler: H, limit: usize) -> Self
    where
        H: Handler<T, App>,
        T: 'static,
    {
        self.enter("POST", path);
        let route = post(handler).layer(DefaultBodyLimit::max(limit));
        self.router = self.router.route(path, route);
        self
    }

    pub fn merge(mut self, other: Routes) -> Self {
        self.list.extend(other.list);
        self.router = self.router.merge(other.router);
        self
    }

    /// Puts something before all routes so far.
    pub fn before(mut self, put: impl FnOnce(Router<App>) -> Router<App>) -> Self {
        self.router = put(self.router);
        self
    }

    /// The router, and what is in it.
    pub fn done(self) -> (Router<App>, Vec<Route>) {
        (self.router, self.list)
    }
}
