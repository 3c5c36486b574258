//! Movies. A new rule is a file here, and a line in the list.

mod alpha_lost;
mod beyond_built_in;
mod burn_in_token;
mod codec_in_container;
mod codec_not_set;
mod container_not_set;
mod direct_movie;
mod fps_disagree;
mod fps_not_set;
mod gaps_in_movie;
mod not_passed_to_encoder;
mod odd_size;
mod pass_not_set;
mod pixels_of_codec;
mod quality_of_codec;
mod sound_codec_not_set;
mod sound_in_container;
mod sound_missing;
mod sound_start;
mod split_movie;
mod too_large_for_codec;

use super::{Rule, Subject};
use crate::deliverable::Deliverable;
use crate::finding::Finding;
use crate::source::Place;

/// What is wrong with a movie, as far as its rules differ.
struct MovieMistake {
    place: Place,
    sentence: String,
    label: String,
    advice: String,
}

/// Reports the mistakes of movies, each place once for a path.
fn report(
    rule: &Rule,
    subject: &Subject<'_>,
    so: &str,
    mistake: impl Fn(&Deliverable) -> Option<MovieMistake>,
) -> Vec<Finding> {
    subject
        .once_by(|one| {
            let mistake = mistake(one)?;
            let key = (mistake.place.clone(), &one.template.place);
            Some((key, mistake))
        })
        .into_iter()
        .map(|(_, mistake, _)| {
            rule.finding(mistake.sentence)
                .at(&mistake.place, mistake.label)
                .so(so)
                .advise(mistake.advice)
        })
        .collect()
}

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &container_not_set::RULE,
    &codec_not_set::RULE,
    &pass_not_set::RULE,
    &codec_in_container::RULE,
    &odd_size::RULE,
    &pixels_of_codec::RULE,
    &too_large_for_codec::RULE,
    &sound_missing::RULE,
    &sound_in_container::RULE,
    &fps_disagree::RULE,
    &direct_movie::RULE,
    &gaps_in_movie::RULE,
    &sound_codec_not_set::RULE,
    &sound_start::RULE,
    &split_movie::RULE,
    &quality_of_codec::RULE,
    &fps_not_set::RULE,
    &alpha_lost::RULE,
    &beyond_built_in::RULE,
    &not_passed_to_encoder::RULE,
    &burn_in_token::RULE,
];
