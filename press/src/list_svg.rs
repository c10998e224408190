//! A display list as an SVG file: pictures are embedded, marks stay lines that can be enlarged and changed.

use std::fmt::Write as _;

use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;
use bozzetto_core::capture::Plan;
use bozzetto_core::display::{Blend, DisplayList, Group, Item, Path};
use bozzetto_core::geometry::frames::{Glass, Map, Rect};

use crate::picture::Shown;
use crate::raster;
use crate::sheet_svg::data;
use crate::xml::escaped;

/// The planned area of a list. What no line can say, pictures and what is softened, is a picture in the plan's pixels.
/// `None` when there is not enough memory for one.
pub fn write(list: &DisplayList, plan: &Plan, shown: &Shown, title: &str) -> Option<String> {
    let mut out = begun(&plan.area, (plan.width, plan.height), title);
    let mut writer = Writer {
        plan,
        shown,
        clips: 0,
        clip: None,
        out: &mut out,
    };
    // All up to the last picture of a backdrop lies beneath the marks, and is one picture.
    let is_picture = |item: &Item| matches!(item, Item::Picture { .. });
    let first = list.items.iter().rposition(is_picture).map_or(0, |n| n + 1);
    let (beneath, above) = list.items.split_at(first);
    writer.picture(beneath)?;
    writer.items(above)?;
    Some(out + "</svg>\n")
}

/// A picture by itself, of so many pixels, as an SVG file.
pub fn of_picture(png: &[u8], size: (u32, u32), title: &str) -> String {
    let area = Rect::from_size(0.0, 0.0, f64::from(size.0), f64::from(size.1));
    let mut out = begun(&area, size, title);
    embed(&mut out, png, &area, "");
    out + "</svg>\n"
}

fn begun(area: &Rect<Glass>, (width, height): (u32, u32), title: &str) -> String {
    let place = [area.x0, area.y0, area.width(), area.height()];
    format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" viewBox=\"{}\">\n\
         <title>{}</title>\n",
        place.map(|v| v.to_string()).join(" "),
        escaped(title)
    )
}

fn embed(out: &mut String, png: &[u8], r: &Rect<Glass>, clip: &str) {
    let _ = writeln!(
        out,
        "<image{clip} x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" href=\"data:image/png;base64,{}\"/>",
        r.x0,
        r.y0,
        r.width(),
        r.height(),
        BASE64.encode(png)
    );
}

fn mixes(blend: Blend) -> &'static str {
    match blend {
        Blend::Over => "",
        Blend::Multiply => " style=\"mix-blend-mode:multiply\"",
        Blend::Screen => " style=\"mix-blend-mode:screen\"",
    }
}

struct Writer<'a> {
    plan: &'a Plan,
    shown: &'a Shown,
    clips: u32,
    /// The one that is in force.
    clip: Option<u32>,
    out: &'a mut String,
}

impl Writer<'_> {
    /// Items as one picture; nothing for none.
    fn picture(&mut self, items: &[Item]) -> Option<()> {
        if items.is_empty() {
            return Some(());
        }
        let list = DisplayList {
            items: items.to_vec(),
        };
        let pixmap = raster::print(&list, self.plan, self.shown)?;
        let clip = self.clipped();
        embed(self.out, &pixmap.encode_png().ok()?, &self.plan.area, &clip);
        Some(())
    }

    fn items(&mut self, items: &[Item]) -> Option<()> {
        items.iter().try_for_each(|item| self.item(item))
    }

    fn item(&mut self, item: &Item) -> Option<()> {
        match item {
            Item::Fill {
                path,
                colour,
                blend,
                opacity,
            } => {
                let path = self.cut(path);
                if path.is_empty() {
                    return Some(());
                }
                let fades = match *opacity {
                    o if o < 1.0 => format!(" fill-opacity=\"{o}\""),
                    _ => String::new(),
                };
                let (clip, mixes) = (self.clipped(), mixes(*blend));
                let (colour, d) = (colour.css(), data(&path));
                let _ = writeln!(
                    self.out,
                    "<path fill=\"{colour}\"{clip}{fades}{mixes} d=\"{d}\"/>"
                );
                Some(())
            }
            Item::Group(group) if is_plain(group) => self.group(group),
            other => self.picture(std::slice::from_ref(other)),
        }
    }

    fn group(&mut self, group: &Group) -> Option<()> {
        let around = self.clip;
        if let Some(path) = &group.clip {
            let path = self.cut(path);
            if path.is_empty() {
                return Some(());
            }
            // Within the one around it.
            let (within, d) = (self.clipped(), data(&path));
            self.clips += 1;
            let n = self.clips;
            let _ = writeln!(
                self.out,
                "<clipPath id=\"clip{n}\"{within}><path d=\"{d}\"/></clipPath>"
            );
            self.clip = Some(n);
        }
        if group.is_flat() {
            // What is in it mixes with what is beneath the group, so there is no group: each is cut by itself.
            self.items(&group.items)?;
        } else {
            let (clip, mixes) = (self.clipped(), mixes(group.blend));
            let _ = writeln!(self.out, "<g{clip} opacity=\"{}\"{mixes}>", group.opacity);
            self.clip = None;
            self.items(&group.items)?;
            self.out.push_str("</g>\n");
        }
        self.clip = around;
        Some(())
    }

    /// What of a path lies in the planned area: nothing else may be in the file. Of what is cut, curves become lines that
    /// nobody can tell from them before it is enlarged twenty times.
    fn cut(&self, path: &Path) -> Path {
        let pixel = self.plan.area.width() / f64::from(self.plan.width);
        path.within(&self.plan.area, pixel * 0.05)
    }

    fn clipped(&self) -> String {
        self.clip
            .map_or(String::new(), |n| format!(" clip-path=\"url(#clip{n})\""))
    }
}

/// Whether lines can say what a group is: it lies where it is drawn, and has a hard edge. What it holds lies so too.
fn is_plain(group: &Group) -> bool {
    let lies = group.softness <= 0.0 && group.map == Map::coincident();
    lies && group.items.iter().all(|item| match item {
        Item::Group(inner) => is_plain(inner),
        Item::Fill { .. } | Item::Picture { .. } | Item::Placed { .. } => true,
    })
}
