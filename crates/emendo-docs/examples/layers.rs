//! Prints the layers of code in pages: `cargo run -p emendo-docs --example layers -- FILE...`

use emendo_docs::markup::{HOSTS, host_among, layers, read};
use emendo_text::RelPath;

fn main() {
    for arg in std::env::args().skip(1) {
        let name = arg.rsplit('/').next().unwrap_or(&arg).to_owned();
        let (Ok(path), Ok(text)) = (RelPath::new(&name), std::fs::read_to_string(&arg)) else {
            continue;
        };
        let Some(host) = host_among(HOSTS.iter(), &path) else { continue };
        for (n, layer) in layers(&read(host, &text)).iter().enumerate() {
            println!("== {arg} {n}: {} {:?}", layer.ending, layer.takes);
            println!("{}", layer.view);
            for k in &layer.known {
                println!("known: {} {:?} in {:?}", k.name, k.at, k.within);
            }
        }
    }
}
