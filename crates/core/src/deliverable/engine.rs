//! Which engine makes a deliverable.

use std::sync::Arc;

use super::context::Context;
use super::request::{OutputKind, OutputRequest};
use super::{Expansion, ProblemKind};
use crate::job::{FromValue, Key, RunEntry};
use crate::nearest::advice;
use crate::precedence::Chain;
use crate::profile::Profile;
use crate::source::{Level, Sourced};

/// The engines of a job: the profiles that it names, and those made of its `run` lines, each once.
#[derive(Default)]
pub(super) struct JobEngines {
    of_run_lines: Vec<Arc<Profile>>,
}

impl JobEngines {
    /// The engine of a request; where there is none, that is reported.
    pub(super) fn of<'j>(
        &mut self,
        context: &Context<'j>,
        request: &OutputRequest<'j>,
        chain: &Chain<'j>,
        expansion: &mut Expansion,
    ) -> Option<Arc<Profile>> {
        let count = request.deliverables();
        if request.kind == OutputKind::Movie && chain.setting(Key::MovieFrom).is_some() {
            let usual = || Sourced {
                value: Profile::USUAL_ENCODER.to_owned(),
                level: Level::BuiltIn,
                place: request.output.name_place.clone(),
            };
            let encoder = chain.get(Key::MovieEncoder).unwrap_or_else(usual);
            return named(context, encoder, count, expansion);
        }
        if let Some(from) = chain.get::<String>(Key::From) {
            let layers = from.with(Profile::LAYERS.to_owned());
            return named(context, layers, count, expansion);
        }
        let run = chain.get::<Vec<RunEntry>>(Key::Run);
        let engine = chain.get::<String>(Key::Engine);
        match (run, engine) {
            (Some(run), engine) if engine.as_ref().is_none_or(|one| one.level <= run.level) => {
                Some(self.of_run_line(&run, chain))
            }
            (_, Some(engine)) => named(context, engine, count, expansion),
            _ if is_source(context, request) => Some(Arc::new(Profile::absent())),
            _ => {
                let place = request.shot.name_place.clone();
                expansion.report(ProblemKind::Unset(Key::Engine), place, count);
                None
            }
        }
    }

    fn of_run_line(&mut self, run: &Sourced<Vec<RunEntry>>, chain: &Chain<'_>) -> Arc<Profile> {
        let mut profile = Profile::of_run(&run.value, &run.place);
        if let Some(in_order) = chain.value(Key::InOrder) {
            profile.in_order = in_order;
        }
        if let Some(codes) = chain.value(Key::SuccessCodes) {
            profile.success_codes = codes;
        }
        let known = self.of_run_lines.iter().find(|known| {
            known.place == profile.place
                && known.in_order == profile.in_order
                && known.success_codes == profile.success_codes
        });
        if let Some(known) = known {
            return Arc::clone(known);
        }
        let profile = Arc::new(profile);
        self.of_run_lines.push(Arc::clone(&profile));
        profile
    }
}

/// Whether something is assembled from the output of a request: its pictures may be there already.
fn is_source(context: &Context<'_>, request: &OutputRequest<'_>) -> bool {
    context.job.outputs.iter().any(|output| {
        [Key::MovieFrom, Key::From].into_iter().any(|key| {
            let from = output.table.get(key);
            let name = from.and_then(|from| String::from_value(&from.value.value));
            name.as_ref() == Some(&request.output.name)
        })
    })
}

/// The profile of a name.
fn named(
    context: &Context<'_>,
    name: Sourced<String>,
    count: u64,
    expansion: &mut Expansion,
) -> Option<Arc<Profile>> {
    let profiles = &context.around.profiles;
    let found = profiles.find(&name.value);
    if found.is_none() {
        let names: Vec<&str> = profiles.names().collect();
        let kind = ProblemKind::UnknownEngine {
            advice: advice(&name.value, &names),
            name: name.value,
        };
        expansion.report(kind, name.place, count);
    }
    found
}
