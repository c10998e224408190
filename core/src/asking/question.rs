//! What is asked, and what an answer to it can be.

use serde::{Deserialize, Serialize};

use crate::asking::spot::Spot;

/// The longest question, and the longest word that answers one, in characters.
pub const LONGEST_QUESTION: usize = 200;
/// See [`LONGEST_QUESTION`].
pub const LONGEST_WORD: usize = 40;
/// Numbers that answer are no larger than this, whichever their sign.
pub const LARGEST: f64 = 1e12;

/// What answers a question.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// One of so many, from [`Kind::FEWEST`] to [`Kind::MOST`], called A, B, C and so on.
    Choices(u8),
    YesNo,
    Number,
    Word,
    /// A place on the picture.
    Place,
}

impl Kind {
    pub const FEWEST: u8 = 2;
    pub const MOST: u8 = 6;

    /// What can be chosen, in its order; nothing where an answer is written or pointed out.
    ///
    /// ```
    /// use bozzetto_core::asking::question::Kind;
    /// assert_eq!(Kind::Choices(3).choices(), ["A", "B", "C"]);
    /// assert_eq!(Kind::YesNo.choices(), ["yes", "no"]);
    /// ```
    pub fn choices(self) -> Vec<String> {
        match self {
            Kind::Choices(many) => (0..many.clamp(Self::FEWEST, Self::MOST))
                .map(|n| char::from(b'A' + n).to_string())
                .collect(),
            Kind::YesNo => vec!["yes".to_owned(), "no".to_owned()],
            Kind::Number | Kind::Word | Kind::Place => Vec::new(),
        }
    }

    /// An answer from what somebody has pressed, written or pointed at.
    ///
    /// ```
    /// use bozzetto_core::asking::question::{Kind, Reply};
    /// assert_eq!(Kind::Choices(4).reply("C"), Ok(Reply::Choice(2)));
    /// assert!(Kind::Choices(2).reply("C").is_err());
    /// assert_eq!(Kind::Number.reply(" 12,5 "), Ok(Reply::Number(12.5)));
    /// assert_eq!(Kind::Word.reply("  Nord  west "), Ok(Reply::Word("Nord west".to_owned())));
    /// assert!(matches!(Kind::Place.reply("7 0 25 50"), Ok(Reply::Spot(spot)) if spot.at.x == 25.0));
    /// ```
    ///
    /// # Errors
    /// In words for the person.
    pub fn reply(self, written: &str) -> Result<Reply, &'static str> {
        let written = written.trim();
        match self {
            Kind::Choices(_) | Kind::YesNo => {
                let mut choices = self.choices().into_iter();
                let chosen = choices.position(|choice| choice == written);
                let chosen = chosen.ok_or("That is none of the choices.")?;
                Ok(Reply::Choice(chosen as u8))
            }
            Kind::Number => {
                let number: f64 = written
                    .replace(',', ".")
                    .parse()
                    .map_err(|_| "A number is wanted.")?;
                match number.abs() <= LARGEST {
                    true => Ok(Reply::Number(number)),
                    false => Err("That number is too large."),
                }
            }
            Kind::Word => {
                let word: Vec<&str> = written.split_whitespace().collect();
                let word: String = word.join(" ").chars().take(LONGEST_WORD).collect();
                match word.chars().any(char::is_alphanumeric) {
                    true => Ok(Reply::Word(word)),
                    false => Err("A word is wanted."),
                }
            }
            Kind::Place => {
                let spot = Spot::read(written).ok_or("A place on the picture is wanted.")?;
                Ok(Reply::Spot(spot))
            }
        }
    }
}

/// What somebody has answered.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reply {
    /// Which of the choices, from 0.
    Choice(u8),
    Number(f64),
    Word(String),
    /// A share of the width and height of what was in view: so places were kept at first.
    Place(f64, f64),
    /// A place on a backdrop.
    Spot(Spot),
}

impl Reply {
    /// In words, of an answer to a question of this kind.
    pub fn words(&self, kind: Kind) -> String {
        match self {
            Reply::Choice(n) => {
                let choices = kind.choices();
                choices.get(usize::from(*n)).cloned().unwrap_or_default()
            }
            Reply::Number(number) => number.to_string(),
            Reply::Word(word) => word.clone(),
            Reply::Place(x, y) => format!("{:.1} % {:.1} %", x * 100.0, y * 100.0),
            Reply::Spot(Spot { page, at, .. }) => {
                format!("page {}: {:.0} {:.0}", page + 1, at.x, at.y)
            }
        }
    }
}
