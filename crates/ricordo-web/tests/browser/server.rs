//! A server of the built pages, for this machine alone.

use std::fs::File;
use std::io;
use std::path::{Component, Path, PathBuf};
use std::sync::Arc;

use tiny_http::{Header, Response, Server};

/// Serves a folder until the program ends. Returns the address.
pub(crate) fn serve(folder: PathBuf) -> io::Result<String> {
    let server = Server::http("127.0.0.1:0").map_err(io::Error::other)?;
    let address = format!("http://{}", server.server_addr());
    let (server, folder) = (Arc::new(server), Arc::new(folder));
    for _ in 0..4 {
        let (server, folder) = (server.clone(), folder.clone());
        std::thread::spawn(move || {
            for request in server.incoming_requests() {
                let answered = match find(request.url(), &folder) {
                    Some((file, kind)) => {
                        let kind = Header::from_bytes("Content-Type", kind).expect("a header");
                        request.respond(Response::from_file(file).with_header(kind))
                    }
                    None => {
                        request.respond(Response::from_string("there is no such file").with_status_code(404))
                    }
                };
                // A browser that has gone needs no answer.
                drop(answered);
            }
        });
    }
    Ok(address)
}

fn find(url: &str, folder: &Path) -> Option<(File, &'static str)> {
    let path = url.split(['?', '#']).next()?.trim_start_matches('/');
    let path =
        if path.is_empty() || path.ends_with('/') { format!("{path}index.html") } else { path.to_owned() };
    let path = Path::new(&path);
    let is_inside = path.components().all(|part| matches!(part, Component::Normal(_)));
    let kind = match path.extension()?.to_str()? {
        "html" => "text/html; charset=utf-8",
        "js" | "mjs" => "text/javascript",
        "css" => "text/css",
        "wasm" => "application/wasm",
        "json" => "application/json",
        "svg" => "image/svg+xml",
        _ => "text/plain; charset=utf-8",
    };
    let file = is_inside.then(|| File::open(folder.join(path)).ok())??;
    Some((file, kind))
}
