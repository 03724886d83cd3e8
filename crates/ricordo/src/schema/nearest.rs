//! The nearest right name for a wrong one.

/// The candidate that was most likely meant by `wanted`, if one is close enough to be worth naming.
///
/// ```
/// use ricordo::schema::nearest;
///
/// assert_eq!(nearest("loavs", ["name", "loaves", "notes"]), Some("loaves"));
/// assert_eq!(nearest("loafs", ["name", "loaves", "notes"]), Some("loaves"));
/// assert_eq!(nearest("temperature", ["name", "loaves", "notes"]), None);
/// ```
pub fn nearest<'a>(wanted: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    // Names in use are short; a longer "name" is some other mistake, and comparing it would take long.
    const LONGEST: usize = 100;
    if wanted.len() > LONGEST {
        return None;
    }
    let lowercase = wanted.to_ascii_lowercase();
    let allowed = ((wanted.chars().count() + 1) / 3).max(1);
    candidates
        .into_iter()
        .filter(|candidate| candidate.len() <= LONGEST)
        .map(|candidate| (strsim::osa_distance(&lowercase, &candidate.to_ascii_lowercase()), candidate))
        .filter(|(distance, _)| *distance <= allowed)
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, candidate)| candidate)
}
