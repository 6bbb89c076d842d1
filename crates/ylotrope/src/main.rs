//! .
mod demo_data;
fn main() {
    let args: Vec<String> = std::env::args().collect();
    if args[1] == "demo-data" {
        let mut f = std::io::BufWriter::new(std::fs::File::create("/tmp/gate.log").unwrap());
        demo_data::write(&mut f, 512 << 20, 1).unwrap();
        return;
    }
    let mut v = engine::Variables::default();
    let r = engine::run_script(&args[1], &mut v);
    eprintln!("{r:?}");
}
