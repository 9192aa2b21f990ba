//! Small systems of linear equations.

/// Solution of `a x = b` for a symmetric positive definite `a` (rows), by Cholesky's
/// factors; none where `a` is not.
#[must_use]
pub fn solve(a: &[Vec<f64>], b: &[f64]) -> Option<Vec<f64>> {
    let n = b.len();
    let mut l = vec![vec![0.0; n]; n];
    for i in 0..n {
        for j in 0..=i {
            let dot: f64 = (0..j).map(|k| l[i][k] * l[j][k]).sum();
            let rest = a[i][j] - dot;
            if i != j {
                l[i][j] = rest / l[j][j];
            } else if rest > 0.0 {
                l[i][j] = rest.sqrt();
            } else {
                return None;
            }
        }
    }
    let mut y = vec![0.0; n];
    for i in 0..n {
        let dot: f64 = (0..i).map(|k| l[i][k] * y[k]).sum();
        y[i] = (b[i] - dot) / l[i][i];
    }
    let mut x = vec![0.0; n];
    for i in (0..n).rev() {
        let dot: f64 = (i + 1..n).map(|k| l[k][i] * x[k]).sum();
        x[i] = (y[i] - dot) / l[i][i];
    }
    Some(x)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_known_system_is_solved_and_a_singular_one_is_refused() {
        let a = vec![vec![4.0, 2.0, 0.0], vec![2.0, 5.0, 3.0], vec![0.0, 3.0, 6.0]];
        // a times (1, -2, 3).
        let x = solve(&a, &[0.0, 1.0, 12.0]).unwrap();
        for (found, expected) in x.iter().zip([1.0, -2.0, 3.0]) {
            assert!((found - expected).abs() < 1e-12);
        }
        assert_eq!(solve(&[vec![1.0, 1.0], vec![1.0, 1.0]], &[1.0, 1.0]), None);
    }
}
