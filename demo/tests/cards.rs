//! The identity cards in `docs/` are what the units do, and differ as their words say.
#![allow(missing_docs, clippy::expect_used)] // a test may say what must hold by failing

use std::path::Path;

fn committed() -> String {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../docs/tone-cards.md");
    std::fs::read_to_string(path).expect("docs/tone-cards.md")
}

#[test]
fn the_cards_in_the_documents_are_what_the_units_do_now() {
    assert!(committed() == zinc_demo::cards::text(), "run ./zinc cards and read what changed");
}

/// Figures of a row of a card.
fn row(card: &str, begins: &str) -> Vec<f64> {
    let line =
        card.lines().find(|line| line.starts_with(begins)).unwrap_or_else(|| panic!("no row {begins} in {card}"));
    line.split('|')
        .skip(2)
        .filter_map(|cell| cell.trim().trim_end_matches(" %").replace("none", "-130").parse().ok())
        .collect()
}

fn card<'t>(text: &'t str, name: &str) -> &'t str {
    text.split("\n## ").find(|card| card.starts_with(&format!("{name}\n"))).unwrap_or_else(|| panic!("no card {name}"))
}

#[test]
fn even_overtones_lead_where_one_valve_is_driven_lightly_and_odd_where_a_pair_is_driven_hard() {
    let text = committed();
    for single in ["Amp, edge of breakup", "Saturator, tube", "Console EQ, flat, valve", "Passive EQ, flat"] {
        let soft = row(card(&text, single), "| -30 dBFS");
        assert!(soft[0] > soft[1] + 6.0, "{single}: {soft:?}");
    }
    for odd in ["Amp, crunch", "Saturator, tape", "Tape, 15 ips"] {
        let loud = row(card(&text, odd), "| -6 dBFS");
        assert!(loud[1] > loud[0] + 10.0, "{odd}: {loud:?}");
    }
}

#[test]
fn no_two_cards_are_alike() {
    let text = committed();
    let cards: Vec<&str> = text.split("\n## ").skip(1).collect();
    assert!(cards.len() > 15);
    let figures = |card: &str| [row(card, "| -18 dBFS"), row(card, "| -6 dBFS"), row(card, "| dB")].concat();
    for (i, a) in cards.iter().enumerate() {
        for b in &cards[i + 1..] {
            let apart: f64 = figures(a).iter().zip(figures(b)).map(|(x, y)| (x - y).abs()).fold(0.0, f64::max);
            assert!(apart > 1.0, "{} and {}", a.lines().next().unwrap_or(""), b.lines().next().unwrap_or(""));
        }
    }
}
