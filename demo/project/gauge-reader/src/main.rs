use tidewire::client::{Station, TideGauge};

mod trains;

fn main() {
    let station = Station::new("mole", 7070);
    let gauge = TideGauge::named("north mole");
    println!("{:?} at {}", station.level(&gauge), trains::Station::new("north", 1).name);
}
