//! Timing, and the table of ratios.

use std::time::{Duration, Instant};

/// Nanoseconds one call of `step` takes: the median of several samples, each long enough for the clock.
pub fn nanoseconds(mut step: impl FnMut()) -> f64 {
    const SAMPLES: usize = 15;
    const SAMPLE: Duration = Duration::from_millis(20);
    let mut calls = 1_u32;
    loop {
        let start = Instant::now();
        (0..calls).for_each(|_| step());
        if start.elapsed() >= SAMPLE || calls >= 1 << 24 {
            break;
        }
        calls *= 2;
    }
    let mut samples: Vec<f64> = (0..SAMPLES)
        .map(|_| {
            let start = Instant::now();
            (0..calls).for_each(|_| step());
            start.elapsed().as_nanos() as f64 / f64::from(calls)
        })
        .collect();
    samples.sort_by(f64::total_cmp);
    samples[SAMPLES / 2]
}

/// A duration in nanoseconds, with a unit that keeps it short.
pub fn readable(nanoseconds: f64) -> String {
    match nanoseconds {
        n if n < 10_000.0 => format!("{n:.0} ns"),
        n if n < 10_000_000.0 => format!("{:.1} µs", n / 1e3),
        n => format!("{:.1} ms", n / 1e6),
    }
}
