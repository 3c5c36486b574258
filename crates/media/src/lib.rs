//! Pictures for True Path: what a file holds, whether it holds all of it, and how one is written.
#![cfg_attr(not(test), deny(clippy::disallowed_methods))]

mod bmp_file;
mod canvas;
mod compare;
mod dpx_file;
mod examine;
mod exr_blocks;
mod exr_compression;
mod exr_file;
mod facts;
mod hashing_reader;
mod hdr_file;
mod inflate;
mod jpeg;
mod layer_choice;
mod layers;
mod meter;
#[cfg(feature = "movies")]
mod movie;
mod open_raster;
mod passed_over;
mod png_file;
mod png_rows;
mod proxy;
mod quiet;
mod raster;
mod regular_file;
mod sheet;
mod similarity;
mod tga_file;
mod tiff;
mod wav_file;
mod webp_file;

pub use canvas::{Canvas, EncodeError, write_exr};
pub use compare::{CompareError, ComparedValues, Difference, Pair};
pub use examine::{Examination, ExamineOptions, examine, recognise, verify};
pub use facts::{ExpectedPicture, Facts, Flaw, Found};
pub use hashing_reader::{HashKind, hash_bytes, hash_file};
pub use layer_choice::{LayerChoiceError, choose_layer};
pub use layers::{
    ChosenLayer, FileLayer, LayerError, LayeredFile, PictureLayer, layer_names, read_layers,
    write_layers,
};
#[cfg(feature = "movies")]
pub use movie::{
    MovieCodec, MovieError, MovieFacts, MovieHeaders, MovieOptions, MovieWriter, SoundError,
    SoundFormat, SoundSource, examine_movie, movie_headers,
};
pub use open_raster::{OpenRasterError, OpenRasterLayer, write_open_raster};
pub use proxy::{DisplayCurve, Proxy, ProxyOptions, displayed, proxy};
pub use raster::{Raster, Weight, fitted_text, text_width};
pub use regular_file::{
    MOST_LIST, MOST_TEXT, open_regular, read_regular, read_text, read_up_to_most, text_of,
};
pub use sheet::{CellState, SheetCell, SheetOptions, SheetRow, draw_sheet};
pub use wav_file::wav_seconds;
