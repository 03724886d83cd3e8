//! Timing several contenders side by side.

use std::time::{Duration, Instant};

/// Something to be timed: one call is one step.
pub type Step<'a> = Box<dyn FnMut() + 'a>;

/// Nanoseconds that one call of each step takes: the median of several samples, each long enough for the
/// clock. The contenders take turns, so that a machine which is slow for a while is slow for all of them.
pub fn nanoseconds<const N: usize>(mut steps: [Step<'_>; N]) -> [f64; N] {
    const SAMPLES: usize = 25;
    let calls = steps.each_mut().map(|step| calls_per_sample(step));
    let mut samples = [const { Vec::new() }; N];
    for _ in 0..SAMPLES {
        for ((step, calls), samples) in steps.iter_mut().zip(calls).zip(&mut samples) {
            samples.push(time(step, calls));
        }
    }
    samples.map(|mut samples| {
        samples.sort_by(f64::total_cmp);
        samples[SAMPLES / 2]
    })
}

fn time(step: &mut Step<'_>, calls: u32) -> f64 {
    let start = Instant::now();
    (0..calls).for_each(|_| step());
    start.elapsed().as_nanos() as f64 / f64::from(calls)
}

/// The number of calls in a sample; finding it warms up as well.
fn calls_per_sample(step: &mut Step<'_>) -> u32 {
    const SAMPLE: Duration = Duration::from_millis(10);
    let mut calls = 1;
    while time(step, calls) * f64::from(calls) < SAMPLE.as_nanos() as f64 && calls < 1 << 24 {
        calls *= 2;
    }
    calls
}

/// A duration in nanoseconds, with a unit that keeps it short.
pub fn readable(nanoseconds: f64) -> String {
    match nanoseconds {
        n if n < 10_000.0 => format!("{n:.0} ns"),
        n if n < 10_000_000.0 => format!("{:.1} µs", n / 1e3),
        n => format!("{:.1} ms", n / 1e6),
    }
}
