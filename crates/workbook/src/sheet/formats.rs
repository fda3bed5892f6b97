//! Which place in the workbook's styles part a new cell's format has: ours, over the looks that the sheet has there.

use crate::error::Result;
use crate::style_map::StyleMap;
use crate::styles::{StyleId, Styles};

/// The formats of new cells.
#[derive(Clone, Debug, Default)]
pub(crate) struct CellFormats {
    /// The formats that the sheet's own cells have; the first one is the general one.
    pub(crate) sheet: Vec<u32>,
    /// By format of the sheet's own, then by style of ours: the place in the workbook.
    places: Vec<Vec<u32>>,
    /// By place in the workbook: which of the sheet's own formats it is, plus one.
    known: Vec<u16>,
    /// By column of ours: the sheet's own format for rows that it does not have yet.
    pub(crate) usual: Vec<u16>,
    /// By column of ours: whether empty cells of new rows are written, to look as their neighbours.
    pub(crate) fills_blanks: Vec<bool>,
    /// By format of the sheet's own: whether it has looks of its own, besides how numbers are shown.
    pub(crate) has_looks: Vec<bool>,
}

/// What is known of a column before rows go into it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PlaceFormats {
    /// The format for rows that the sheet does not have yet.
    pub usual: u32,
    /// Whether that is one of cells, which empty cells of new rows get too; else it is the whole column's.
    pub is_of_cells: bool,
    /// Whether its cells are formatted below the rows too: those that are cleared stay so.
    pub goes_on_below: bool,
    /// All formats that its cells, their rows and the column have.
    pub all: Vec<u32>,
    /// The formats of ours that are written.
    pub styles: Vec<StyleId>,
}

impl CellFormats {
    /// For a new workbook: ours as they are.
    pub(crate) fn own(columns: usize) -> Self {
        Self {
            sheet: vec![0],
            places: vec![Vec::new()],
            known: Vec::new(),
            usual: vec![0; columns],
            fills_blanks: vec![false; columns],
            has_looks: vec![false],
        }
    }

    /// For a new sheet of an existing workbook.
    pub(crate) fn new_sheet(columns: usize, styles: &Styles, map: &mut StyleMap) -> Result<Self> {
        let all = (0..styles.count() as u32).map(|id| map.resolve(0, styles, StyleId(id)));
        Ok(Self { places: vec![all.collect::<Result<_>>()?], ..Self::own(columns) })
    }

    /// For rows of a sheet that is there.
    pub(crate) fn over(columns: &[PlaceFormats], styles: &Styles, map: &mut StyleMap) -> Result<Self> {
        let mut formats = Self::new_sheet(columns.len(), styles, map)?;
        for (place, column) in columns.iter().enumerate() {
            for format in column.all.iter().copied().chain([column.usual]) {
                let at = formats.index(format, map);
                for style in &column.styles {
                    let places = &mut formats.places[at];
                    if places.len() <= style.0 as usize {
                        places.resize(style.0 as usize + 1, u32::MAX);
                    }
                    if places[style.0 as usize] == u32::MAX {
                        places[style.0 as usize] = map.resolve(format, styles, *style)?;
                    }
                }
            }
            let usual = formats.index(column.usual, map);
            formats.usual[place] = usual as u16;
            formats.fills_blanks[place] = column.is_of_cells && formats.has_looks[usual];
        }
        Ok(formats)
    }

    fn index(&mut self, format: u32, map: &StyleMap) -> usize {
        let found = self.find(format);
        // One beyond the table is none.
        if !map.has(format) {
            return 0;
        }
        if format == 0 || found > 0 || self.sheet.len() >= usize::from(u16::MAX) {
            return found;
        }
        if self.known.len() <= format as usize {
            self.known.resize(format as usize + 1, 0);
        }
        self.sheet.push(format);
        self.places.push(Vec::new());
        self.has_looks.push(!map.is_plain(format));
        self.known[format as usize] = self.sheet.len() as u16;
        self.sheet.len() - 1
    }

    /// Which of the sheet's own formats this is; the general one if it was not met.
    pub(crate) fn find(&self, format: u32) -> usize {
        usize::from(self.known.get(format as usize).copied().unwrap_or(0)).saturating_sub(1)
    }

    /// The place in the workbook of a style of ours over one of the sheet's own formats.
    pub(crate) fn place(&self, format: usize, style: usize) -> u32 {
        let place = |format: usize| self.places[format].get(style).copied().filter(|p| *p != u32::MAX);
        place(format).or_else(|| place(0)).unwrap_or(style as u32)
    }
}
