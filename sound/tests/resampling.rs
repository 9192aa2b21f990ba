//! What a sound of another rate becomes.
#![allow(missing_docs, clippy::unwrap_used)] // a test may say what must hold by failing

use zinc_sound::resample::StreamResampler;

fn resampled(from: u32, to: u32, input: &[f32], piece: usize) -> Vec<f32> {
    let mut out = Vec::new();
    let mut keep = |samples: &[f32]| {
        out.extend_from_slice(samples);
        Ok::<(), ()>(())
    };
    let mut resampler = StreamResampler::new(from, to, 1).unwrap();
    input.chunks(piece).for_each(|part| resampler.push(part, &mut keep).unwrap());
    resampler.finish(&mut keep).unwrap();
    out
}

#[test]
fn a_tone_keeps_pitch_level_place_and_length_whatever_the_pieces() {
    const FROM: [u32; 9] = [22_050, 32_000, 44_100, 48_000, 64_000, 88_200, 96_000, 176_400, 192_000];
    let pairs = FROM.into_iter().flat_map(|from| [44_100, 48_000, 88_200, 96_000].map(|to| (from, to)));
    for (from, to) in pairs.filter(|(from, to)| from != to) {
        let tone = |rate: u32, n: usize| (std::f64::consts::TAU * 997.0 * n as f64 / f64::from(rate)).sin() as f32;
        let input: Vec<f32> = (0..from as usize).map(|n| tone(from, n)).collect();
        let whole = resampled(from, to, &input, usize::MAX);
        assert_eq!(whole.len(), to as usize, "{from} to {to}");
        assert_eq!(resampled(from, to, &input, 777), whole, "pieces do not matter");
        // Away from the ends, where the filter sees silence.
        let worst = (to as usize / 4..to as usize * 3 / 4).map(|n| (whole[n] - tone(to, n)).abs()).fold(0.0, f32::max);
        assert!(worst < 1e-3, "{from} to {to}: {worst}");
    }
}

#[test]
fn a_sound_shorter_than_a_chunk_comes_out_whole() {
    assert_eq!(resampled(44_100, 48_000, &[0.25; 441], 100).len(), 480);
}
