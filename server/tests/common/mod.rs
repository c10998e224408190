//! A server in this process, and browsers made of plain sockets.

pub mod hostile;

use std::net::SocketAddr;
use std::path::Path;
use std::time::Duration;

use axum::Router;
use axum::body::Body;
use axum::extract::connect_info::MockConnectInfo;
use axum::http::{Request, Response, header};
use axum_server::Handle;
use bozzetto::app::{App, Options};
use bozzetto::captures;
use bozzetto::lessons::queries;
use bozzetto::live::lesson::Command;
use bozzetto::serve::{self, Tls};
use bozzetto_core::capture;
use bozzetto_core::display::colour::Rgb;
use bozzetto_core::geometry::frames::{Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId, MarkId};
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::ink::{InkPoint, Points};
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body as MarkBody, Mark, Style};
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::stage::backdrop::ViewState;
use bozzetto_core::stage::pane::Beside;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::{FromServer, Hello, OnStage, ToServer, Welcome, decode, encode};
use futures_util::{SinkExt, StreamExt};
use http_body_util::BodyExt;
use tokio::net::TcpStream;
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::tungstenite::client::IntoClientRequest;
use tokio_tungstenite::{MaybeTlsStream, WebSocketStream};
use tower::ServiceExt;

pub struct Server {
    pub app: App,
    /// Answers [`Server::ask`].
    router: Router,
    pub address: SocketAddr,
    /// The address that [`Server::ask`] asks from.
    pub from: [u8; 4],
    handle: Handle<SocketAddr>,
}

/// As usual, with workers from the program that is tested.
pub fn options(listen: SocketAddr) -> Options {
    Options {
        program: env!("CARGO_BIN_EXE_bozzetto").into(),
        ..Options::new(listen)
    }
}

impl Server {
    /// Serves a data folder until dropped.
    pub async fn start(data: &Path) -> Self {
        Self::start_with(data, |_| {}).await
    }

    /// The same, with other options.
    pub async fn start_with(data: &Path, change: impl FnOnce(&mut Options)) -> Self {
        let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
        let address = listener.local_addr().unwrap();
        let mut options = options(address);
        change(&mut options);
        let app = App::open(data, options).await.unwrap();
        let handle = Handle::new();
        let (served, data, ends) = (app.clone(), data.to_owned(), handle.clone());
        tokio::spawn(async move {
            serve::listen(served, listener, Tls::None, &data, ends)
                .await
                .unwrap();
        });
        Self {
            router: bozzetto::router::router(app.clone()),
            app,
            address,
            from: [127, 0, 0, 1],
            handle,
        }
    }

    /// What is asked with [`Server::ask`] from now on is answered by one that is otherwise.
    pub fn change(&mut self, change: impl FnOnce(&mut App)) {
        change(&mut self.app);
        self.router = bozzetto::router::router(self.app.clone());
    }

    pub async fn lesson(&self) -> i64 {
        let made = self
            .app
            .store
            .write(|conn| queries::create(conn, "Tides", "class"));
        made.await.unwrap()
    }

    /// The lesson's first backdrop.
    pub async fn first_backdrop(&self, lesson: i64) -> BackdropId {
        self.app.live.look(lesson).await.unwrap().order[0].id
    }

    /// A request as a browser on this machine makes it.
    pub async fn ask(
        &self,
        request: axum::http::request::Builder,
        body: impl Into<Body>,
    ) -> Response<Body> {
        let from = MockConnectInfo(SocketAddr::from((self.from, 5555)));
        let host = self.address.to_string();
        let request = request.header(header::HOST, host).extension(from);
        let request = request.body(body.into()).unwrap();
        self.router.clone().oneshot(request).await.unwrap()
    }

    pub async fn get(&self, path: &str) -> Response<Body> {
        self.ask(Request::get(path), Body::empty()).await
    }

    /// Joins with the lesson's code; gives the cookie.
    pub async fn join(&self, lesson: i64, name: &str) -> String {
        let code = self
            .app
            .store
            .read(move |conn| queries::code(conn, lesson))
            .await
            .unwrap()
            .unwrap();
        let form = format!("code={code}&name={name}");
        let kind = "application/x-www-form-urlencoded";
        let answer = self
            .ask(
                Request::post("/join").header(header::CONTENT_TYPE, kind),
                form,
            )
            .await;
        assert_eq!(answer.status(), 303);
        cookies(&answer)
    }

    /// Brings a file to a lesson's stage; gives the backdrop's id, or panics with the reason.
    pub async fn bring(&self, lesson: i64, name: &str, bytes: &[u8]) -> i64 {
        // A lesson that is open shows what is brought.
        self.app.live.look(lesson).await.unwrap();
        let (status, said) = self
            .upload(&format!("/lessons/{lesson}/backdrops"), name, bytes)
            .await;
        assert_eq!(status, 200, "{said}");
        let said: serde_json::Value = serde_json::from_str(&said).unwrap();
        let brought = said["added"][0].as_i64().unwrap();
        self.until_on_stage(lesson, brought, true).await;
        brought
    }

    /// Waits until participants see a backdrop, or see it no longer.
    pub async fn until_on_stage(&self, lesson: i64, backdrop: i64, wanted: bool) {
        let is_seen = async || {
            let shown = self.app.live.shown(lesson).await.unwrap();
            shown
                .stage
                .each()
                .any(|b| b.id == BackdropId(backdrop as u64))
        };
        let seen = async {
            while is_seen().await != wanted {
                tokio::task::yield_now().await;
            }
        };
        let seen = tokio::time::timeout(Duration::from_secs(60), seen).await;
        seen.expect("the stage is not as it is waited for");
    }

    /// Has a lesson take up what is new in its tables, and waits until it has.
    pub async fn changed(&self, lesson: i64) {
        self.app
            .live
            .tell(lesson, Command::Changed { goto: None })
            .await;
        // It is taken up while others are served: this waits behind it.
        self.app.live.look(lesson).await.unwrap();
    }

    /// Uploads a file; gives the status and what is said.
    pub async fn upload(&self, path: &str, name: &str, bytes: &[u8]) -> (u16, String) {
        self.upload_as("", path, name, bytes).await
    }

    /// The same of somebody who has this cookie.
    pub async fn upload_as(
        &self,
        cookie: &str,
        path: &str,
        name: &str,
        bytes: &[u8],
    ) -> (u16, String) {
        let head = format!(
            "--cut\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\r\n"
        );
        let body = [head.as_bytes(), bytes, b"\r\n--cut--\r\n"].concat();
        let kind = "multipart/form-data; boundary=cut";
        let request = Request::post(path)
            .header(header::CONTENT_TYPE, kind)
            .header(header::COOKIE, cookie);
        let answer = self.ask(request, body).await;
        (answer.status().as_u16(), text(answer).await)
    }

    /// Captures all of the stage; gives the capture's id.
    pub async fn capture(&self, lesson: i64) -> i64 {
        let current = self.app.live.look(lesson).await.unwrap().stage.current;
        let request = capture::Request {
            area: Rect::of_size(Size::glass(16.0, 9.0)),
            device: 0.25,
            ratio: 1.0,
            stage: capture::OnStage {
                current: current.map(|b| b.id),
                ..Default::default()
            },
            way: capture::way::Way::Stage,
        };
        captures::take(&self.app, lesson, request, Vec::new())
            .await
            .unwrap()
    }

    pub async fn presenter(&self, lesson: i64) -> (Browser, Welcome) {
        Browser::open(self.address, &format!("/lessons/{lesson}/live"), None, None).await
    }

    pub async fn participant(&self, lesson: i64, cookie: &str) -> (Browser, Welcome) {
        Browser::open(
            self.address,
            &format!("/follow/{lesson}/live"),
            Some(cookie),
            None,
        )
        .await
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        self.handle.shutdown();
    }
}

/// The cookies that an answer sets, as a browser sends them back.
pub fn cookies(answer: &Response<Body>) -> String {
    let lines = answer.headers().get_all(header::SET_COOKIE).iter();
    let set = lines.filter_map(|v| v.to_str().ok());
    let kept = set.filter(|v| !v.contains("Max-Age=0;"));
    let pairs = kept.filter_map(|v| v.split(';').next());
    pairs.collect::<Vec<_>>().join("; ")
}

pub async fn text(response: Response<Body>) -> String {
    let bytes = response.into_body().collect().await.unwrap().to_bytes();
    String::from_utf8_lossy(&bytes).into_owned()
}

/// One socket.
pub struct Browser {
    /// The last change that it knows of: what is told again up to it, a page passes over.
    last: u64,
    socket: WebSocketStream<MaybeTlsStream<TcpStream>>,
}

impl Browser {
    pub async fn open(
        address: SocketAddr,
        path: &str,
        cookie: Option<&str>,
        hello: Option<Hello>,
    ) -> (Self, Welcome) {
        let mut request = format!("ws://{address}{path}")
            .into_client_request()
            .unwrap();
        if let Some(cookie) = cookie {
            request
                .headers_mut()
                .insert("cookie", cookie.parse().unwrap());
        }
        let (socket, _) = tokio_tungstenite::connect_async(request).await.unwrap();
        let mut browser = Self { last: 0, socket };
        let hello = hello.unwrap_or(Hello {
            author: None,
            resume: None,
        });
        browser.send_bytes(hello.encode()).await;
        match browser.next().await {
            FromServer::Welcome(welcome) => {
                browser.last = welcome.seq;
                (browser, *welcome)
            }
            other => panic!("{other:?} instead of a welcome"),
        }
    }

    pub async fn send_bytes(&mut self, bytes: Vec<u8>) {
        self.socket
            .send(Message::Binary(bytes.into()))
            .await
            .unwrap();
    }

    pub async fn send(&mut self, message: &ToServer) {
        self.send_bytes(encode(message)).await;
    }

    /// Sends as long as the line is up; `false` when it is not.
    pub async fn try_send(&mut self, message: &ToServer) -> bool {
        let bytes = encode(message);
        self.socket
            .send(Message::Binary(bytes.into()))
            .await
            .is_ok()
    }

    /// The code with which the server closes the line; `None` when it is just gone. Waits a while.
    pub async fn close_code(&mut self) -> Option<u16> {
        let wait = async {
            loop {
                match self.socket.next().await {
                    Some(Ok(Message::Close(frame))) => return frame.map(|f| f.code.into()),
                    Some(Ok(_)) => {}
                    Some(Err(_)) | None => return None,
                }
            }
        };
        let closed = tokio::time::timeout(Duration::from_secs(20), wait).await;
        closed.expect("the line stays open")
    }

    /// Goes as a page does that is closed: with a word.
    pub async fn goes(mut self) {
        let _ = self.socket.close(None).await;
        // A line with something unread is broken off rather than closed.
        while let Some(Ok(_)) = self.socket.next().await {}
    }

    /// Whether the server ends the line, in whichever way.
    pub async fn ended(&mut self) -> bool {
        self.close_code().await;
        true
    }

    pub async fn act(&mut self, id: u64, intent: Intent) {
        self.send(&ToServer::Act {
            id: ChangeId(id),
            intent,
        })
        .await;
    }

    /// The next message; waits a while for it.
    pub async fn next(&mut self) -> FromServer {
        loop {
            let message = tokio::time::timeout(Duration::from_secs(20), self.socket.next())
                .await
                .expect("the server says something")
                .expect("the line is up")
                .unwrap();
            if let Message::Binary(bytes) = message {
                match decode(&bytes).unwrap() {
                    FromServer::Beat(_) | FromServer::Settings(_) => continue,
                    message => return message,
                }
            }
        }
    }

    /// The next message that `wanted` makes something of; it has a minute to come.
    pub async fn until<T>(&mut self, wanted: impl Fn(FromServer) -> Option<T>) -> T {
        let search = async {
            loop {
                if let Some(found) = wanted(self.next().await) {
                    return found;
                }
            }
        };
        let found = tokio::time::timeout(Duration::from_secs(60), search).await;
        found.expect("the message that is waited for does not come")
    }

    /// The next change of the stage that presenters are told of, with its number.
    pub async fn stage_change(&mut self) -> (u64, Vec<StageStep>) {
        let last = self.last;
        self.until(|m| match m {
            FromServer::Change { seq, change, .. } if seq > last => {
                let steps = change.stage_steps().to_vec();
                (!steps.is_empty()).then_some((seq, steps))
            }
            _ => None,
        })
        .await
    }

    pub async fn stage_steps(&mut self) -> Vec<StageStep> {
        self.stage_change().await.1
    }

    /// Waits until presenters have been told that the lesson is paused.
    pub async fn paused(&mut self) {
        while self.stage_steps().await != [StageStep::Pause(true)] {}
    }

    /// What participants see on stage, the next time that they are told.
    pub async fn stage(&mut self) -> OnStage {
        self.until(|m| match m {
            FromServer::OnStage(stage) => Some(*stage),
            _ => None,
        })
        .await
    }

    /// Waits until the change of this name has been told, and whether it was kept.
    pub async fn told(&mut self, id: u64) -> bool {
        self.until(|m| match m {
            FromServer::Change { change, kept, .. } if change.id == ChangeId(id) => Some(kept),
            _ => None,
        })
        .await
    }
}

/// Asks for a step of the stage.
pub fn stage(step: StageStep) -> ToServer {
    ToServer::Act {
        id: ChangeId(rand::random()),
        intent: Intent::Stage(vec![step]),
    }
}

pub fn pause(paused: bool) -> ToServer {
    stage(StageStep::Pause(paused))
}

/// Have this on stage, perhaps with something beside it.
pub fn show(current: BackdropId, beside: Option<BackdropId>) -> ToServer {
    let beside = beside.map(|backdrop| Beside {
        backdrop,
        divider: 0.5,
    });
    stage(StageStep::Arrange { current, beside })
}

/// See a backdrop like this.
pub fn see(backdrop: BackdropId, seen: ViewState) -> ToServer {
    let seen = Box::new(seen);
    stage(StageStep::See { backdrop, seen })
}

pub fn stroke(id: u64) -> Mark {
    let style = Style::new(Tip::Round, Rgb::hex(0xD55E00), 6.0);
    let body = MarkBody::Stroke(fit(&line().0).expect("a line"));
    let whole = Map::coincident();
    Mark::new(MarkId(id), AuthorId(0), style, body, whole, id as i64)
}

/// The points of [`stroke`].
pub fn line() -> Points {
    let point = |i: u32| InkPoint::new(Point::new(f64::from(i) * 10.0, 100.0), 6.0);
    Points((0..20).map(point).collect())
}

pub fn add(backdrop: BackdropId, mark: Mark) -> Intent {
    Intent::Do(vec![Step {
        sheet: SheetId::Backdrop(backdrop),
        op: Op::Add(mark),
    }])
}

/// A picture in four colours, one to a quarter.
pub fn quarters() -> Vec<u8> {
    let picture = image::RgbImage::from_fn(80, 60, |x, y| {
        let (right, low) = (x >= 40, y >= 30);
        image::Rgb([u8::from(right) * 200, u8::from(low) * 200, 90])
    });
    let mut out = std::io::Cursor::new(Vec::new());
    picture.write_to(&mut out, image::ImageFormat::Png).unwrap();
    out.into_inner()
}
