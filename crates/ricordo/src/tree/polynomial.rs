//! Polynomial hashes of sequences, modulo the Mersenne prime 2^61 - 1.
//!
//! A run of rows with content hashes `a, b, c` has the hash `a·B² + b·B + c`, so that runs can be joined
//! without reading them again.

const PRIME: u64 = (1 << 61) - 1;
const BASE: u64 = 0x0c8a_5cd7_8d91_e54b;

/// Powers of the base by the bytes of the exponent: `POWERS[i][n]` is `B^(n·256^i)`.
const POWERS: [[u64; 256]; 4] = {
    let mut tables = [[1; 256]; 4];
    let mut step = BASE;
    let mut table = 0;
    while table < 4 {
        let mut exponent = 1;
        while exponent < 256 {
            tables[table][exponent] = scale(tables[table][exponent - 1], step);
            exponent += 1;
        }
        step = scale(tables[table][255], step);
        table += 1;
    }
    tables
};

/// Brings any number into the range of the prime.
pub(super) const fn reduce(number: u64) -> u64 {
    let folded = (number & PRIME) + (number >> 61);
    if folded >= PRIME { folded - PRIME } else { folded }
}

pub(super) const fn add(left: u64, right: u64) -> u64 {
    reduce(left + right)
}

pub(super) const fn subtract(left: u64, right: u64) -> u64 {
    reduce(left + PRIME - right)
}

pub(super) const fn scale(left: u64, right: u64) -> u64 {
    let product = left as u128 * right as u128;
    #[allow(clippy::cast_possible_truncation, reason = "the two halves of a product below 2^122")]
    let (low, high) = (product as u64 & PRIME, (product >> 61) as u64);
    reduce(low + high)
}

/// The base to a power.
pub(super) fn power(exponent: u32) -> u64 {
    let bytes = exponent.to_le_bytes();
    let low = POWERS[0][bytes[0] as usize];
    // Most runs are short.
    if exponent < 256 {
        return low;
    }
    let middle = scale(low, POWERS[1][bytes[1] as usize]);
    if exponent < 65_536 {
        return middle;
    }
    scale(middle, scale(POWERS[2][bytes[2] as usize], POWERS[3][bytes[3] as usize]))
}

/// The hash of a run followed by another of `rows` rows.
pub(super) fn join(first: u64, second: u64, rows: u32) -> u64 {
    add(scale(first, power(rows)), second)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn powers_are_repeated_products() {
        let mut expected = 1;
        for exponent in 0..70_000 {
            assert_eq!(power(exponent), expected, "{exponent}");
            expected = scale(expected, BASE);
        }
    }
}
