//! The deliverables that others are assembled from: the sequence of a movie, and the files that hold the pictures of
//! one that is made of layers.

use std::sync::Arc;

use super::make::Maker;
use super::planes::{File, Plane, files};
use super::request::{OutputKind, OutputRequest, listed};
use super::{Common, Deliverable, LayerSource, ProblemKind};
use crate::job::{Key, NamedTable, PlacedText};
use crate::precedence::Chain;
use crate::source::{Place, Sourced};

impl<'j> Maker<'j> {
    /// The sequence that a movie is assembled from: that of the same shot, variant, view, preset and
    /// camera. What is wrong with it counts where the sequence itself is made.
    pub(super) fn source_of_movie(
        &mut self,
        request: &OutputRequest<'j>,
        chain: &Chain<'j>,
        from: &Sourced<String>,
        common: &Common,
        file: &File<'j>,
    ) -> Option<Arc<Deliverable>> {
        let is_sequence =
            |job: &_, one: &NamedTable| OutputKind::of(job, one) == OutputKind::Sequence;
        let sequence = self.other_output(request, from, "output of a sequence", is_sequence)?;
        let passes = listed(&sequence.chain(self.context.job, None), Key::Passes);
        let pass = match (PlacedText::text_of(file.name), &passes[..]) {
            (None, [_, _, ..]) => {
                let problem = ProblemKind::Unset(Key::MoviePass);
                self.expansion.report(problem, from.place.clone(), 1);
                return None;
            }
            (None, passes) => passes.first().copied().flatten().map(|word| &*word.text),
            (Some(pass), [None]) => Some(pass),
            (Some(pass), _) => {
                let place = chain.setting(Key::MoviePass);
                let place = place.map_or(&from.place, |setting| &setting.value.place);
                self.is_listed("pass of that output", pass, &passes, place)
                    .then_some(pass)?;
                Some(pass)
            }
        };
        self.holding(sequence, &passes, pass, common)
    }

    /// Where each picture of a file is taken from, where its output is made of another one; empty where it is rendered.
    /// None where something stands in the way, which is reported.
    pub(super) fn layer_sources(
        &mut self,
        request: &OutputRequest<'j>,
        chain: &Chain<'j>,
        common: &Common,
        file: &File<'j>,
    ) -> Option<Vec<LayerSource>> {
        let Some(from) = chain.get::<String>(Key::From) else {
            return Some(Vec::new());
        };
        let is_rendered = |job: &_, one: &NamedTable| {
            OutputKind::of(job, one) != OutputKind::Movie && one.table.get(Key::From).is_none()
        };
        let output = self.other_output(request, &from, "output that is rendered", is_rendered)?;
        let planes = file.planes(&request.views);
        let mut sources = Vec::new();
        for plane in planes.iter() {
            sources.push(self.layer_source(output.clone(), &from.place, plane, common)?);
        }
        Some(sources)
    }

    /// Where one picture is taken from.
    fn layer_source(
        &mut self,
        mut output: OutputRequest<'j>,
        from: &Place,
        plane: &Plane,
        common: &Common,
    ) -> Option<LayerSource> {
        let job = self.context.job;
        let view = PlacedText::text_of(plane.view.as_ref());
        let base = OutputRequest {
            view: None,
            ..output.clone()
        };
        let base = base.chain(job, None);
        let views = listed(&base, Key::Views);
        let is_view = |word: &&Option<&PlacedText>| PlacedText::text_of(**word) == view;
        let Some(known) = views.iter().find(is_view).copied() else {
            let view = view.unwrap_or_default();
            self.is_listed("view of that output", view, &views, from);
            return None;
        };
        let together = base.value(Key::ViewsTogether) == Some(true);
        (output.view, output.views) = if together {
            (None, views)
        } else {
            (known, vec![known])
        };
        let passes = listed(&output.chain(job, None), Key::Passes);
        let pass = PlacedText::text_of(plane.pass.as_ref());
        let held = match (pass, &passes[..]) {
            // Nobody says which passes it has: the files show it.
            (Some(_), [None]) => None,
            (Some(pass), _) => {
                let place = plane.pass.as_ref().map_or(from, |word| &word.place);
                let is_listed = self.is_listed("pass of that output", pass, &passes, place);
                is_listed.then_some(Some(pass))?
            }
            (None, [None]) => None,
            (None, _) => {
                let problem = ProblemKind::Unset(Key::Passes);
                self.expansion.report(problem, from.clone(), 1);
                return None;
            }
        };
        let deliverable = self.holding(output, &passes, held, common)?;
        let is_alone = deliverable.planes.len() == 1 && (held.is_some() || pass.is_none());
        let words = if is_alone { [None, None] } else { [view, pass] };
        let words = words.into_iter().flatten().map(str::to_owned);
        Some(LayerSource {
            words: words.collect(),
            deliverable,
        })
    }

    /// The request of another output in the same shot, variant, view and preset; an output that is not there or not fit
    /// is reported.
    fn other_output(
        &mut self,
        request: &OutputRequest<'j>,
        from: &Sourced<String>,
        kind: &'static str,
        is_fit: impl Fn(&crate::job::Job, &NamedTable) -> bool,
    ) -> Option<OutputRequest<'j>> {
        let job = self.context.job;
        let fit = || {
            let outputs = job.outputs.iter().enumerate();
            outputs.filter(|(_, one)| is_fit(job, one))
        };
        let Some((output_index, output)) = fit().find(|(_, one)| one.name == from.value) else {
            let names: Vec<&str> = fit().map(|(_, one)| &*one.name).collect();
            let kind = ProblemKind::unknown_name(kind, &from.value, &names);
            self.expansion.report(kind, from.place.clone(), 1);
            return None;
        };
        Some(OutputRequest {
            output_index,
            output,
            kind: OutputKind::of(job, output),
            files: Vec::new(),
            ..request.clone()
        })
    }

    /// Whether a name is one of some words; one that is not is reported.
    fn is_listed(
        &mut self,
        kind: &'static str,
        name: &str,
        words: &[Option<&PlacedText>],
        place: &Place,
    ) -> bool {
        let names = words.iter().filter_map(|word| PlacedText::text_of(*word));
        let names: Vec<&str> = names.collect();
        let is_listed = names.contains(&name);
        if !is_listed {
            let kind = ProblemKind::unknown_name(kind, name, &names);
            self.expansion.report(kind, place.clone(), 1);
        }
        is_listed
    }

    /// The deliverable of an output whose files hold a pass.
    fn holding(
        &mut self,
        request: OutputRequest<'j>,
        passes: &[Option<&'j PlacedText>],
        pass: Option<&str>,
        common: &Common,
    ) -> Option<Arc<Deliverable>> {
        let chain = request.chain(self.context.job, pass);
        let (engines, expansion) = (&mut self.engines, &mut self.expansion);
        let mut own = self.context.common(&request, &chain, engines, expansion)?;
        own.names.camera = common.names.camera.clone();
        let file = files(&chain, passes).into_iter().find(|file| {
            file.passes
                .iter()
                .any(|one| PlacedText::text_of(*one) == pass)
        })?;
        self.deliverable(&request, &Arc::new(own), &file)
            .map(Arc::new)
    }
}
