pub struct Station {
    pub name: &'static str,
}

impl Station {
    pub fn new(name: &'static str, _platform: u8) -> Self {
        Self { name }
    }
}
