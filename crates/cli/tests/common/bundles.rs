//! A job whose parts go to other machines.
#![allow(dead_code, unreachable_pub, clippy::unwrap_used)]

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use super::{Called, Project, called, scene};

/// A job whose scenes and frames lie in places outside of its folder.
pub fn job(more: &str) -> String {
    format!(
        "# the show\nbase = [\"studio.toml\"]\n[project]\nname = \"orrery\"\nversion = 3\nsize = \"48x32\"\nretries = 0\n{more}\n\
         [place]\nrenders = \"../out\"\nscenes = \"../scenes\"\n\
         [shot.dawn]\nscene = \"{{place.scenes}}/dawn.toml\"\nframes = \"1-12\"\n\
         [shot.dusk]\nscene = \"own/dusk.toml\"\nframes = \"1-6\"\n\
         [output.frames]\npath = \"{{place.renders}}/{{shot}}/{{shot}}_v{{version:03}}.{{frame:04}}.png\"\n\
         [output.review]\npath = \"{{place.renders}}/{{shot}}.mp4\"\nfps = 12\nmovie = {{ from = \"frames\", codec = \"h264\" }}\n"
    )
}

/// The folder of the job is `home/show`.
pub struct Home {
    pub project: Project,
}

impl Home {
    pub fn new(more: &str) -> Self {
        let project = Project::empty();
        for folder in ["home/show/own", "home/scenes", "away"] {
            fs::create_dir_all(project.path(folder)).unwrap();
        }
        project.write("home/show/truepath.toml", &job(more));
        project.write(
            "home/show/studio.toml",
            "[project]\nengine = \"understudy\"\n",
        );
        project.write("home/scenes/dawn.toml", &scene(""));
        project.write(
            "home/show/own/dusk.toml",
            &scene("").replace("KILN", "DUSK"),
        );
        Self { project }
    }

    pub fn call(&self, arguments: &[&str]) -> Called {
        let mut command = self.project.command(arguments);
        command.current_dir(self.project.path("home/show"));
        called(command)
    }

    pub fn pack(&self, arguments: &[&str]) -> Called {
        let to = self.project.path("away").display().to_string();
        self.call(&[&["pack", "--to", &to, "--with", "../scenes"], arguments].concat())
    }

    pub fn bundle(&self, name: &str) -> PathBuf {
        self.project.path("away").join(name)
    }

    /// Renders a bundle as another machine, which has it under another path.
    pub fn render(&self, name: &str, machine: &str) -> PathBuf {
        let there = self.project.path(&format!("{machine}/deep/down"));
        fs::create_dir_all(&there).unwrap();
        let bundle = there.join(name);
        fs::rename(self.bundle(name), &bundle).unwrap();
        let mut command = self.project.command(&["run", "--quiet"]);
        command
            .current_dir(&bundle)
            .env("TRUEPATH_MACHINE", machine);
        called(command).ends(0);
        bundle
    }

    pub fn gather(&self, bundles: &[&Path]) -> Called {
        let names: Vec<String> = bundles
            .iter()
            .map(|one| one.display().to_string())
            .collect();
        let names = names.iter().map(String::as_str);
        self.call(&std::iter::once("gather").chain(names).collect::<Vec<_>>())
    }

    /// Every frame at home, with its bytes.
    pub fn frames(&self) -> BTreeMap<String, Vec<u8>> {
        let files = self.project.files("home/out");
        let frames = files.into_iter().filter(|name| name.ends_with(".png"));
        frames
            .map(|name| {
                let bytes = fs::read(self.project.path(&format!("home/out/{name}"))).unwrap();
                (name, bytes)
            })
            .collect()
    }
}

/// What the frames are when one machine renders all of them.
pub fn rendered_at_home() -> BTreeMap<String, Vec<u8>> {
    let home = Home::new("");
    home.call(&["run", "--output", "frames"]).ends(0);
    home.frames()
}
