//! The words of a `run` line that may name files which every process is given.

use super::{Invocation, fill};
use crate::at_least_one::AtLeastOne;
use crate::deliverable::Deliverable;
use crate::frames::FrameSet;
use crate::token::Token;

/// The words of the `run` line of a deliverable that are the same for all its processes, with the part behind `=` of
/// `--config=FILE` as a word of its own; the program is the first. None where the engine has a profile.
#[must_use]
pub fn line_words(deliverable: &Deliverable) -> Vec<String> {
    let profile = &deliverable.common.engine;
    if !profile.is_run_line {
        return Vec::new();
    }
    let (members, frames) = (AtLeastOne::one(deliverable), FrameSet::range(0, 0));
    let invocation = Invocation::planned(profile, &members, &frames);
    let is_fixed = |name: &str| matches!(Token::read(name), Some((Token::Place, _)));
    let counting = profile.arguments.iter().filter(|one| one.changes_picture);
    let mut words = vec![profile.program.clone()];
    for template in counting.flat_map(|argument| &argument.put) {
        let mut tokens = template.tokens().into_iter();
        if !tokens.all(|(token, _)| is_fixed(&token.name)) {
            continue;
        }
        let Ok(Some(word)) = fill(template, &|name| invocation.token(name)) else {
            continue;
        };
        words.extend(word.split_once('=').map(|(_, value)| value.to_owned()));
        words.push(word);
    }
    words
}
