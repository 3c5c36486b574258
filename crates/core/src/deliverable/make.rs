//! Makes the deliverables of a request.

use std::collections::HashMap;
use std::sync::Arc;

use super::context::Context;
use super::encoder::usual_encoder;
use super::engine::JobEngines;
use super::planes::File;
use super::request::{OutputKind, OutputRequest};
use super::root::root_and_pattern;
use super::values::KnownValues;
use super::{
    Common, Deliverable, DeliverableKind, Expansion, MOST_DELIVERABLES, Movie, PathTemplate,
    Picture, ProblemKind, Selection, Sound, movie, picture,
};
use crate::job::{Key, PlacedText, SoundEntry};
use crate::precedence::Chain;
use crate::source::{Place, Sourced};
use crate::template::{PathPattern, TokenValue};

/// Makes deliverables of requests, and keeps what they share.
pub(super) struct Maker<'j> {
    pub(super) context: Context<'j>,
    pub(super) engines: JobEngines,
    /// Templates that many deliverables share, by their places.
    templates: HashMap<Place, Arc<PathTemplate>>,
    pub(super) expansion: Expansion,
}

impl<'j> Maker<'j> {
    pub(super) fn new(context: &Context<'j>) -> Self {
        Self {
            context: context.clone(),
            engines: JobEngines::default(),
            templates: HashMap::new(),
            expansion: Expansion::default(),
        }
    }

    /// Makes what is selected of a request; what stands in the way is reported.
    pub(super) fn make(&mut self, request: &OutputRequest<'j>) {
        let selection = self.context.selection;
        let Some(mut common) = self.common(request) else {
            return;
        };
        for camera in &request.cameras {
            if !Selection::takes(&selection.cameras, PlacedText::text_of(*camera)) {
                continue;
            }
            common.names.camera = camera.cloned();
            let common = Arc::new(common.clone());
            for file in &request.files {
                if self.expansion.deliverables.len() >= MOST_DELIVERABLES {
                    let place = request.output.name_place.clone();
                    self.expansion.report(ProblemKind::TooMany, place, 1);
                    return;
                }
                let is_selected = |pass: &Option<&PlacedText>| {
                    Selection::takes(&selection.passes, PlacedText::text_of(*pass))
                };
                if file.passes.iter().any(is_selected) && self.is_enabled(request, file) {
                    let made = self.deliverable(request, &common, file);
                    self.expansion.deliverables.extend(made);
                }
            }
        }
    }

    fn is_enabled(&self, request: &OutputRequest<'j>, file: &File<'j>) -> bool {
        let chain = request.chain(self.context.job, PlacedText::text_of(file.name));
        chain.value(Key::Enabled) != Some(false)
    }

    fn common(&mut self, request: &OutputRequest<'j>) -> Option<Common> {
        let chain = request.chain(self.context.job, None);
        self.context
            .common(request, &chain, &mut self.engines, &mut self.expansion)
    }

    /// The deliverable of a file.
    pub(super) fn deliverable(
        &mut self,
        request: &OutputRequest<'j>,
        common: &Arc<Common>,
        file: &File<'j>,
    ) -> Option<Deliverable> {
        let chain = request.chain(self.context.job, PlacedText::text_of(file.name));
        let path = self.path(request, &chain)?;
        let mut encoder = None;
        let mut layer_sources = Vec::new();
        let (kind, picture) = match request.kind {
            OutputKind::Movie => {
                let (movie, picture) = self.movie(request, &chain, common, file, &path)?;
                encoder = self.encoder(&chain, common, &movie, &picture);
                (DeliverableKind::Movie(Arc::new(movie)), Some(picture))
            }
            OutputKind::Still | OutputKind::Sequence => {
                let is_still = request.kind == OutputKind::Still;
                let kind = if is_still {
                    DeliverableKind::Still
                } else {
                    DeliverableKind::Sequence
                };
                layer_sources = self.layer_sources(request, &chain, common, file)?;
                let picture = picture::picture(&chain, &path.template, None);
                let source = layer_sources.first();
                (
                    kind,
                    match source {
                        Some(source) => {
                            picture.map(|one| one.of_layer(&source.deliverable.picture))
                        }
                        None => picture,
                    },
                )
            }
        };
        let common = encoder.as_ref().unwrap_or(common);
        if let Some(picture) = &picture
            && let Err((problem, place)) = check_parts(&chain, picture)
        {
            self.expansion.report(problem, place, 1);
            return None;
        }
        let settings = chain.merged(Key::Settings);
        let known = KnownValues {
            common,
            pass: file.name,
            picture: picture.as_ref(),
            movie: match &kind {
                DeliverableKind::Movie(movie) => Some(movie),
                DeliverableKind::Sequence | DeliverableKind::Still => None,
            },
            settings: &settings,
        };
        let (root, pattern) = self.paths(&path, &chain, &|name| known.token(name))?;
        let Some(picture) = picture else {
            let place = path.place.clone();
            self.expansion.report(ProblemKind::NoFormat, place, 1);
            return None;
        };
        Some(Deliverable {
            kind,
            common: Arc::clone(common),
            pass: file.name.cloned(),
            planes: file.planes(&request.views),
            layer_sources: layer_sources.into(),
            picture,
            settings,
            template: path,
            pattern,
            root,
        })
    }

    /// What a movie shares with others, with the encoder that is taken where the job names none.
    fn encoder(
        &self,
        chain: &Chain<'j>,
        common: &Arc<Common>,
        movie: &Movie,
        picture: &Picture,
    ) -> Option<Arc<Common>> {
        if movie.is_direct() || chain.setting(Key::MovieEncoder).is_some() {
            return None;
        }
        let engine = usual_encoder(movie, picture, &self.context.around.profiles)?;
        Some(Arc::new(Common {
            engine,
            ..Common::clone(common)
        }))
    }

    /// The template of the paths.
    fn path(
        &mut self,
        request: &OutputRequest<'j>,
        chain: &Chain<'j>,
    ) -> Option<Arc<PathTemplate>> {
        let Some(setting) = chain.setting(Key::Path) else {
            let place = request.output.name_place.clone();
            self.expansion
                .report(ProblemKind::Unset(Key::Path), place, 1);
            return None;
        };
        if let Some(known) = self.templates.get(&setting.value.place) {
            return Some(Arc::clone(known));
        }
        let path = PathTemplate::of_setting(setting).map(Arc::new)?;
        self.templates.insert(path.place.clone(), Arc::clone(&path));
        Some(path)
    }

    /// The paths, and the folder that they may not leave.
    fn paths(
        &mut self,
        path: &PathTemplate,
        chain: &Chain<'j>,
        value: &dyn Fn(&str) -> TokenValue,
    ) -> Option<(Arc<str>, PathPattern)> {
        let pattern = match crate::template::expand(&path.template, value) {
            Ok(pattern) => pattern,
            Err(errors) => {
                for error in errors {
                    let (kind, place) = self.context.token_problem(error, path);
                    self.expansion.report(kind, place, 1);
                }
                return None;
            }
        };
        let subfolder = chain.value::<String>(Key::Subfolder);
        let job_folder = &self.context.around.job_folder;
        match root_and_pattern(
            &path.template,
            pattern,
            value,
            job_folder,
            subfolder.as_deref(),
        ) {
            Ok(found) => Some(found),
            Err(reason) => {
                let problem = ProblemKind::Outside { reason };
                self.expansion.report(problem, path.place.clone(), 1);
                None
            }
        }
    }

    /// The movie of a file, and what its pictures are.
    fn movie(
        &mut self,
        request: &OutputRequest<'j>,
        chain: &Chain<'j>,
        common: &Common,
        file: &File<'j>,
        path: &PathTemplate,
    ) -> Option<(Movie, Picture)> {
        let container = match movie::container(chain, path) {
            Ok(container) => container,
            Err(problem) => {
                self.expansion.report(problem, path.place.clone(), 1);
                return None;
            }
        };
        let from = chain.get::<String>(Key::MovieFrom);
        if from.is_some() && chain.setting(Key::MovieCodec).is_none() {
            let problem = ProblemKind::Unset(Key::MovieCodec);
            let place = request.output.name_place.clone();
            self.expansion.report(problem, place, 1);
            return None;
        }
        let source = match &from {
            Some(from) => Some(self.source_of_movie(request, chain, from, common, file)?),
            None => None,
        };
        let audio = match chain.setting(Key::Audio) {
            Some(setting) => {
                let path = PathTemplate::of_setting(setting)?;
                let file = self.context.file(&path, common, 1, &mut self.expansion)?;
                Some(setting.value.with(file.path))
            }
            None => None,
        };
        let mut more_audio = Vec::new();
        if let Some(sounds) = chain.get::<Vec<SoundEntry>>(Key::MoreAudio) {
            for sound in &sounds.value {
                let file = self
                    .context
                    .file(&sound.file, common, 1, &mut self.expansion)?;
                more_audio.push(Sound {
                    file: Sourced {
                        value: file.path,
                        level: sounds.level,
                        place: file.place,
                    },
                    offset: sound.offset,
                });
            }
        }
        let pictures = movie::pictures(chain, path, source.as_deref(), container.clone())?;
        Some((
            movie::movie(chain, container.0, source, audio, more_audio),
            pictures,
        ))
    }
}

/// Sees that scale and crop have a size that they are a part of.
fn check_parts(chain: &Chain<'_>, picture: &Picture) -> Result<(), (ProblemKind, Place)> {
    let place = |key| {
        chain
            .setting(key)
            .map(|setting| setting.value.place.clone())
    };
    if let (Some(place), None) = (place(Key::Scale), &picture.size) {
        return Err((ProblemKind::ScaleOfNothing, place));
    }
    let (Some(crop), Some(place)) = (&picture.crop, place(Key::Crop)) else {
        return Ok(());
    };
    let reason = match &picture.size {
        Some(size) if crop.value.is_inside(size.value) => return Ok(()),
        Some(size) => format!("it is not inside the picture of {}", size.value),
        None => "the size of the whole picture is not set".to_owned(),
    };
    Err((ProblemKind::CropOutside { reason }, place))
}
