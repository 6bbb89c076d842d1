fn main() {
    let args: Vec<String> = std::env::args().collect();
    let mut v = engine::Variables::default();
    let r = engine::run_script(&args[1], &mut v);
    println!("{r:?}");
}
