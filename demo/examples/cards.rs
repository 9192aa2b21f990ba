//! Prints the identity cards of the units of tone.

fn main() {
    print!("{}", zinc_demo::cards::text());
}
