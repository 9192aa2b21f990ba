//! Printing the whole worked demo session from nothing, as a user waits for it.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use criterion::{Criterion, criterion_group, criterion_main};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

const PORT: u16 = 18_123;

fn ask(method: &str, path: &str, body: &str) -> String {
    let mut stream = TcpStream::connect(("127.0.0.1", PORT)).expect("the server answers");
    let head = format!(
        "{method} {path} HTTP/1.1\r\nHost: 127.0.0.1:{PORT}\r\nConnection: close\r\nContent-Type: application/json\r\nContent-Length: {}\r\n\r\n{body}",
        body.len()
    );
    stream.write_all(head.as_bytes()).expect("sent");
    let mut answer = String::new();
    stream.read_to_string(&mut answer).expect("answered");
    answer
}

fn start(data: &std::path::Path) -> Child {
    let program = concat!(env!("CARGO_MANIFEST_DIR"), "/../target/release/zinc-rack");
    let mut child = Command::new(program)
        .args(["demo", "--port", &PORT.to_string(), "--data"])
        .arg(data)
        .stdout(Stdio::piped())
        .spawn()
        .expect("the program starts");
    let lines = BufReader::new(child.stdout.take().expect("piped")).lines();
    lines.map_while(Result::ok).find(|l| l.contains("Four recordings")).expect("it says that the demo is there");
    child
}

fn print_mix(data: &std::path::Path) -> Duration {
    let _ = std::fs::remove_dir_all(data.join("prints"));
    std::fs::create_dir_all(data.join("prints")).expect("a folder");
    let begun = Instant::now();
    let answer = ask("POST", "/api/sessions/2/streams", "{\"strip\": 0}");
    let job = answer.rsplit("\"job\":").next().and_then(|t| t.split([',', '}']).next()).expect("a job").to_string();
    while ask("GET", &format!("/api/jobs/{job}"), "").contains("\"running\"") {
        std::thread::sleep(Duration::from_millis(5));
    }
    begun.elapsed()
}

fn bench(c: &mut Criterion) {
    let data = tempfile::tempdir().expect("a folder");
    let mut server = start(data.path());
    let mut group = c.benchmark_group("session");
    group.sample_size(10).measurement_time(Duration::from_secs(40));
    group.bench_function("whole worked demo printed, 14 tracks, 76.8 s", |b| {
        b.iter_custom(|n| (0..n).map(|_| print_mix(data.path())).sum());
    });
    group.finish();
    let _ = server.kill();
    let _ = server.wait();
}

criterion_group!(benches, bench);
criterion_main!(benches);
