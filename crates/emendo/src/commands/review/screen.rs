//! The terminal under the review screen: keys in, cells out, and what the screen asks for.

use std::io::stdout;
use std::sync::Arc;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::time::{Duration, Instant};

use emendo_core::{Disk as _, RealDisk, Session, Stamp};
use emendo_review::{Code, Effect, Hit, Input, Key, Look, Model, draw};
use ratatui::Terminal;
use ratatui::backend::CrosstermBackend;
use ratatui::crossterm::event::{
    self, DisableMouseCapture, EnableMouseCapture, Event, KeyCode, KeyEvent, KeyEventKind,
    KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};
use ratatui::crossterm::execute;
use ratatui::crossterm::terminal::{
    Clear, ClearType, EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode,
};
use ratatui::layout::Rect;

use crate::commands::review::editor;
use crate::commands::review::work::{Job, decisions, now};

/// How long to wait for a key before what others did is looked at.
const NAP: Duration = Duration::from_millis(60);
/// How often it is looked whether others have decided.
const LOOK: Duration = Duration::from_millis(400);

/// The terminal as the screen needs it; it is given back when this goes.
struct Raw;

impl Raw {
    fn enter() -> std::io::Result<Self> {
        enable_raw_mode()?;
        let raw = Self;
        execute!(stdout(), EnterAlternateScreen, EnableMouseCapture)?;
        Ok(raw)
    }
}

impl Drop for Raw {
    fn drop(&mut self) {
        // Nobody is left to be told.
        drop(execute!(stdout(), DisableMouseCapture, LeaveAlternateScreen));
        drop(disable_raw_mode());
    }
}

/// Runs the screen to its end.
pub(super) fn run(session: &Session, model: Model) -> anyhow::Result<()> {
    let disk = RealDisk::open(session.project().root())?;
    let colour = anstream::AutoStream::choice(&stdout()) != anstream::ColorChoice::Never;
    let (jobs, todo) = channel::<Job>();
    let (tell, told) = channel::<Input>();
    std::thread::scope(|scope| {
        scope.spawn(move || {
            for job in todo {
                if tell.send(job.run(session)).is_err() {
                    return;
                }
            }
        });
        let raw = Some(Raw::enter()?);
        let terminal = Terminal::new(CrosstermBackend::new(stdout()))?;
        let screen = Screen {
            session,
            disk,
            model,
            terminal,
            raw,
            look: Look { colour },
            hits: Vec::new(),
            jobs,
            told,
            stamp: session.stamp(),
            working: 0,
            ended: false,
        };
        screen.run()
    })
}

struct Screen<'s> {
    session: &'s Session,
    disk: RealDisk,
    model: Model,
    terminal: Terminal<CrosstermBackend<std::io::Stdout>>,
    raw: Option<Raw>,
    look: Look,
    hits: Vec<(Rect, Hit)>,
    jobs: Sender<Job>,
    told: Receiver<Input>,
    /// How what is kept was when it was last looked at.
    stamp: Stamp,
    /// Jobs that are not done yet.
    working: usize,
    ended: bool,
}

impl Screen<'_> {
    fn run(mut self) -> anyhow::Result<()> {
        let size = self.terminal.size()?;
        self.take(Input::Size(size.width, size.height))?;
        let mut looked = Instant::now();
        let mut stale = true;
        while !self.ended {
            if stale {
                self.draw()?;
            }
            stale = false;
            // All that waits is taken before the screen is drawn once more.
            let mut wait = NAP;
            while event::poll(wait)? {
                wait = Duration::ZERO;
                let event = event::read()?;
                if let Some(input) = self.input(event) {
                    self.take(input)?;
                    stale = true;
                }
                if self.ended {
                    return Ok(());
                }
            }
            while let Ok(input) = self.told.try_recv() {
                self.working -= 1;
                self.stamp = self.session.stamp();
                self.take(input)?;
                stale = true;
            }
            if looked.elapsed() > LOOK {
                looked = Instant::now();
                stale |= self.look_around()?;
            }
        }
        Ok(())
    }

    fn draw(&mut self) -> std::io::Result<()> {
        let (model, look) = (&self.model, self.look);
        let mut hits = Vec::new();
        self.terminal.draw(|frame| hits = draw(model, look, frame.buffer_mut()))?;
        self.hits = hits;
        Ok(())
    }

    /// Hands on what happened, and does what is asked for.
    fn take(&mut self, input: Input) -> anyhow::Result<()> {
        let mut todo = self.model.update(input);
        while !todo.is_empty() {
            let effects = std::mem::take(&mut todo);
            for effect in effects {
                if let Some(input) = self.perform(effect)? {
                    todo.extend(self.model.update(input));
                }
            }
        }
        Ok(())
    }

    fn perform(&mut self, effect: Effect) -> anyhow::Result<Option<Input>> {
        let effect = match Job::of(effect) {
            Ok(job) => {
                self.working += 1;
                self.jobs.send(job)?;
                return Ok(None);
            }
            Err(effect) => effect,
        };
        Ok(match effect {
            Effect::Read(path) => {
                let bytes = self.disk.read(&path).ok().flatten();
                Some(Input::File(path, bytes))
            }
            Effect::Store(log) => {
                let before = self.session.stamp();
                let others = before.decisions != self.stamp.decisions;
                match self.session.store(&log) {
                    Err(e) => {
                        let why = format!("not kept: {}", emendo_text::one_line(&e.to_string()));
                        Some(Input::Failed(why, decisions(self.session)))
                    }
                    Ok(()) if others => {
                        self.stamp.decisions = self.session.stamp().decisions;
                        Some(Input::Decisions(decisions(self.session)))
                    }
                    Ok(()) => {
                        self.stamp.decisions = self.session.stamp().decisions;
                        None
                    }
                }
            }
            Effect::Edit(id, text, path) => {
                self.raw = None;
                let edited = editor::edit(&text, &path);
                self.raw = Some(Raw::enter()?);
                execute!(stdout(), Clear(ClearType::All))?;
                // One that knows nothing of the screen draws all of it.
                self.terminal = Terminal::new(CrosstermBackend::new(stdout()))?;
                match edited {
                    Ok(text) => text.map(|text| Input::Edited(id, text)),
                    Err(why) => Some(Input::Refused(id, text, why)),
                }
            }
            Effect::Quit => {
                self.ended = true;
                None
            }
            Effect::Compute | Effect::Reword(..) | Effect::Prepare(_) | Effect::Apply { .. } => {
                None
            }
        })
    }

    /// Looks whether others have decided or proposed meanwhile.
    fn look_around(&mut self) -> anyhow::Result<bool> {
        let stamp = self.session.stamp();
        if stamp == self.stamp || self.working > 0 {
            return Ok(false);
        }
        let proposed = stamp.proposal != self.stamp.proposal;
        self.stamp = stamp;
        let input = match proposed {
            true => match now(self.session) {
                Ok((proposal, decisions)) => Input::Now(Arc::clone(&proposal), decisions),
                Err(e) => {
                    let why = emendo_text::one_line(&e.to_string());
                    Input::Failed(why, decisions(self.session))
                }
            },
            false => Input::Decisions(decisions(self.session)),
        };
        self.stamp = self.session.stamp();
        self.take(input)?;
        Ok(true)
    }

    fn input(&self, event: Event) -> Option<Input> {
        match event {
            Event::Key(key) if key.kind != KeyEventKind::Release => key_of(key).map(Input::Key),
            Event::Mouse(mouse) => self.mouse(mouse),
            Event::Resize(width, height) => Some(Input::Size(width, height)),
            _ => None,
        }
    }

    fn mouse(&self, mouse: MouseEvent) -> Option<Input> {
        let (x, y) = (mouse.column, mouse.row);
        let code = self.model.is_code(x, y);
        match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) => {
                let hit = self.hits.iter().rev().find(|(at, _)| at.contains((x, y).into()));
                hit.map(|(_, hit)| Input::Click(*hit))
            }
            MouseEventKind::ScrollDown => Some(Input::Wheel { lines: 3, code }),
            MouseEventKind::ScrollUp => Some(Input::Wheel { lines: -3, code }),
            _ => None,
        }
    }
}

/// A key in the words of the screen; Ctrl-C stops it.
fn key_of(key: KeyEvent) -> Option<Key> {
    let control = key.modifiers.contains(KeyModifiers::CONTROL);
    let code = match key.code {
        KeyCode::Char('c') if control => {
            return Some(Key { code: Code::Char('c'), control: true });
        }
        KeyCode::Char(c) => Code::Char(c),
        KeyCode::Enter => Code::Enter,
        KeyCode::Esc => Code::Escape,
        KeyCode::Up => Code::Up,
        KeyCode::Down => Code::Down,
        KeyCode::Left => Code::Left,
        KeyCode::Right => Code::Right,
        KeyCode::PageUp => Code::PageUp,
        KeyCode::PageDown => Code::PageDown,
        KeyCode::Home => Code::Home,
        KeyCode::End => Code::End,
        KeyCode::Tab => Code::Tab,
        KeyCode::Backspace => Code::Backspace,
        KeyCode::Delete => Code::Delete,
        KeyCode::F(n) => Code::F(n),
        _ => return None,
    };
    Some(Key { code, control })
}
