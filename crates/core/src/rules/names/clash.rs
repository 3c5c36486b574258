//! Collisions with one cause, reported together: two deliverables of which each says what it is by the
//! same words, but for those that distinguish the two.

use crate::collide::Collision;
use crate::deliverable::Deliverable;
use crate::job::PlacedText;
use crate::source::Place;

/// The tokens that distinguish deliverables, with what each stands for.
pub(super) fn words(one: &Deliverable) -> [(&'static str, Option<&str>); 6] {
    let common = &one.common;
    [
        ("shot", Some(&common.names.shot)),
        (
            "variant",
            PlacedText::text_of(common.names.variant.as_ref()),
        ),
        ("view", PlacedText::text_of(common.names.view.as_ref())),
        ("camera", PlacedText::text_of(common.names.camera.as_ref())),
        ("pass", PlacedText::text_of(one.pass.as_ref())),
        ("output", Some(&common.names.output)),
    ]
}

/// Collisions of two templates, between the same two words.
pub(super) struct Clash<'a> {
    /// The one that was there first, of the first collision.
    pub(super) one: &'a Deliverable,
    /// The one that would write over it.
    pub(super) other: &'a Deliverable,
    /// An example of a path.
    pub(super) example: &'a str,
    /// How many names are shared by several deliverables.
    pub(super) names: usize,
    /// How many deliverables share them.
    pub(super) members: usize,
    /// Files that would be lost.
    pub(super) lost: u64,
    cause: ClashCause<'a>,
}

/// Two templates, and the words that distinguish them.
type ClashCause<'a> = (
    (&'a Place, &'a Place),
    Vec<(&'static str, Option<&'a str>, Option<&'a str>)>,
);

/// The collisions by cause, each between its first member and the first of the others that `prefer`
/// takes, else the second.
pub(super) fn clashes<'a>(
    collisions: impl Iterator<Item = &'a Collision>,
    all: &'a [Deliverable],
    prefer: impl Fn(&Deliverable, &Deliverable) -> bool,
) -> Vec<Clash<'a>> {
    let mut clashes: Vec<Clash<'_>> = Vec::new();
    for collision in collisions {
        let mut members = collision.members.iter().map(|&member| &all[member]);
        let Some(one) = members.next() else { continue };
        let second = members.clone().next();
        let Some(other) = members.find(|other| prefer(one, other)).or(second) else {
            continue;
        };
        let apart = words(one).into_iter().zip(words(other));
        let apart = apart.filter(|(one, other)| one != other);
        let cause = (
            (&one.template.place, &other.template.place),
            apart
                .map(|((token, one), (_, other))| (token, one, other))
                .collect(),
        );
        match clashes.iter_mut().find(|known| known.cause == cause) {
            Some(known) => {
                known.names += 1;
                known.members += collision.members.len();
                known.lost += collision.lost;
            }
            None => clashes.push(Clash {
                one,
                other,
                example: &collision.example,
                names: 1,
                members: collision.members.len(),
                lost: collision.lost,
                cause,
            }),
        }
    }
    clashes
}
