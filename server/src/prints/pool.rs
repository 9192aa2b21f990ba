//! All prints that are being made, whoever waits for them: first what somebody waits to read, then what is wanted whole,
//! then what is furthest behind, so that all can be heard long before any is whole. What nobody wants any more is given
//! up.

use std::collections::HashMap;
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use zinc_core::render::{Plan, Source};
use zinc_core::session::Session;

use super::cache::Cache;
use super::growth::{GrowingReader, Growth, Urgency};
use super::making::{Input, Making};
use super::source::resolve;
use crate::jobs::{Job, JobError, lock};

/// Prints that are worked on at once.
const AT_ONCE: usize = 2;
/// Longest pause before it is looked again for something to do.
const LOOK: Duration = Duration::from_millis(20);

/// The prints on their way.
#[derive(Default)]
pub struct Pool {
    left: Mutex<Left>,
    changed: Condvar,
}

#[derive(Default)]
struct Left {
    /// Those that nobody is working on just now.
    waiting: Vec<Making>,
    in_hand: usize,
    /// Prints begun so far.
    begun: u64,
    /// How far each has come, by its key.
    growths: HashMap<String, Arc<Growth>>,
    /// How many wait for each.
    wanted: HashMap<String, usize>,
}

impl Pool {
    /// How far the print with a key has come, while somebody makes it.
    pub fn growth(&self, key: &str) -> Option<Arc<Growth>> {
        lock(&self.left).growths.get(key).filter(|growth| !growth.is_over()).cloned()
    }
}

impl Left {
    /// Which of those that wait comes next, of those whose sources have come far enough.
    fn next(&self) -> Option<usize> {
        let awaited = |making: &&Making| making.growth().urgency() == Urgency::Awaited && !making.is_ready();
        self.waiting.iter().filter(awaited).for_each(Making::ask);
        let rank = |making: &Making| match making.growth().urgency() {
            // What was asked for first is whole first.
            Urgency::Whole => (Urgency::Whole, making.number, 0),
            urgency => (urgency, making.read(), making.number),
        };
        let ready = self.waiting.iter().enumerate().filter(|(_, making)| making.is_ready());
        ready.min_by_key(|(_, making)| rank(making)).map(|(at, _)| at)
    }
}

/// Prints that somebody waits for: they are made as long as this is held.
pub struct Wanted {
    cache: Arc<Cache>,
    pool: Arc<Pool>,
    growths: Vec<(String, Arc<Growth>)>,
}

impl Wanted {
    /// Sees that sources are there or are made, with all that they are made from.
    ///
    /// # Errors
    /// A missing recording, a full disk.
    pub fn of(cache: &Arc<Cache>, pool: &Arc<Pool>, session: &Session, sources: &[Source]) -> Result<Self, JobError> {
        let mut wanted = Self { cache: Arc::clone(cache), pool: Arc::clone(pool), growths: Vec::new() };
        let mut left = lock(&pool.left);
        for source in sources {
            wanted.plant(&mut left, session, source)?;
        }
        drop(left);
        Ok(wanted)
    }

    /// Whether all is there already.
    pub fn is_done(&self) -> bool {
        self.growths.is_empty()
    }

    /// Says that all of it is waited for: it comes before what is only to be played some time.
    pub fn whole(&self) {
        self.growths.iter().for_each(|(_, growth)| growth.ask_whole());
    }

    /// Sees that a source is there, or is made after those it is made from; none where it is there.
    fn plant(
        &mut self,
        left: &mut MutexGuard<'_, Left>,
        session: &Session,
        source: &Source,
    ) -> Result<Option<Arc<Growth>>, JobError> {
        let cache = Arc::clone(&self.cache);
        let source = resolve(session, source);
        let Some(plan) = Plan::of_source(session, &source) else { return Ok(None) };
        if cache.stream(session, &source).is_some() {
            return Ok(None);
        }
        let key = Cache::key(session, &source);
        let (mut inputs, mut awaited) = (Vec::new(), Vec::new());
        let there = left.growths.get(&key).filter(|growth| !growth.is_over()).cloned();
        let lanes: Vec<Source> = plan.lanes().map(|(_, source)| source.clone()).collect();
        for needed in &lanes {
            // Also what another waits for needs its sources when that one has gone.
            let grows = self.plant(left, session, needed)?;
            if there.is_some() {
                continue;
            }
            inputs.push(match grows {
                None => Input::Whole(cache.open_one(session, needed)?),
                Some(growth) => {
                    awaited.push(Arc::clone(&growth));
                    Input::Growing(GrowingReader::new(growth))
                }
            });
        }
        let growth = match there {
            Some(growth) => growth,
            None => {
                let may_be_mono = cache.may_be_mono(session, &source, &plan);
                let number = left.begun;
                left.begun += 1;
                let of = (key.clone(), number, &plan);
                let making = Making::new(&cache, session, of, inputs, awaited, may_be_mono)?;
                let growth = making.growth();
                left.growths.insert(key.clone(), Arc::clone(&growth));
                left.waiting.push(making);
                growth
            }
        };
        if !self.growths.iter().any(|(own, _)| *own == key) {
            *left.wanted.entry(key.clone()).or_default() += 1;
            self.growths.push((key, Arc::clone(&growth)));
        }
        Ok(Some(growth))
    }

    /// Makes what is wanted, and what others want beside it, until all of its own is over; says how long it will take.
    ///
    /// # Errors
    /// What went wrong with one of them, or a request to stop.
    pub fn make(&self, job: &Job) -> Result<(), JobError> {
        if self.is_done() {
            return Ok(());
        }
        let started = Instant::now();
        std::thread::scope(|scope| {
            for _ in 0..AT_ONCE {
                scope.spawn(|| while self.work(job, started) {});
            }
        });
        job.progress("printing", 1.0)?;
        self.growths.iter().find_map(|(_, growth)| growth.failure()).map_or(Ok(()), |why| Err(JobError::Failed(why)))
    }

    /// Makes a stretch of what is furthest behind, or waits a moment; whether there is more to do.
    fn work(&self, job: &Job, started: Instant) -> bool {
        let is_over = self.growths.iter().all(|(_, growth)| growth.is_over());
        if is_over || self.tell(job, started).is_err() {
            return false;
        }
        let pool = &self.pool;
        let mut left = lock(&pool.left);
        let Some(at) = left.next().filter(|_| left.in_hand < AT_ONCE) else {
            drop(pool.changed.wait_timeout(left, LOOK).unwrap_or_else(PoisonError::into_inner));
            return true;
        };
        let mut making = left.waiting.swap_remove(at);
        left.in_hand += 1;
        drop(left);
        let (key, growth) = (making.key.clone(), making.growth());
        // A panic ends this print and no other.
        let stretch = || making.stretch(&self.cache).map(|is_last| (making, is_last));
        let made = std::panic::catch_unwind(std::panic::AssertUnwindSafe(stretch));
        let goes_on = match made.unwrap_or_else(|_| Err(JobError::fault())) {
            Ok((making, true)) => making.finish(&self.cache).map(|()| None),
            Ok((making, false)) => Ok(Some(making)),
            Err(failure) => Err(failure),
        };
        let mut left = lock(&pool.left);
        left.in_hand -= 1;
        // Given up meanwhile it may have been begun anew by somebody else.
        let is_wanted = left.growths.get(&key).is_some_and(|there| Arc::ptr_eq(there, &growth));
        match goes_on {
            Ok(Some(making)) if is_wanted => left.waiting.push(making),
            Ok(None) => growth.end(),
            Ok(Some(_)) => growth.fail("it was not wanted any more".into()),
            Err(failure) => growth.fail(failure.words()),
        }
        drop(left);
        pool.changed.notify_all();
        true
    }

    /// Says how far all of it has come and how long it will take, by how long it took so far.
    fn tell(&self, job: &Job, started: Instant) -> Result<(), JobError> {
        let share = self.growths.iter().map(|(_, growth)| growth.share()).fold(1.0, f64::min);
        let seconds = started.elapsed().as_secs_f64();
        let label = match share {
            share if share > 0.02 => format!("printing: {:.0} s to go", (seconds / share - seconds).ceil()),
            _ => "printing".into(),
        };
        job.progress(&label, share)
    }
}

impl Drop for Wanted {
    fn drop(&mut self) {
        let pool = &self.pool;
        let mut left = lock(&pool.left);
        for (key, growth) in &self.growths {
            let others = left.wanted.get_mut(key).map_or(0, |count| {
                *count -= 1;
                *count
            });
            if others == 0 {
                left.wanted.remove(key);
                left.waiting.retain(|making| making.key != *key);
            }
            if others == 0 || growth.is_over() {
                left.growths.retain(|known, there| known != key || !Arc::ptr_eq(there, growth));
            }
        }
        drop(left);
        pool.changed.notify_all();
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::prints::Prints;
    use crate::shelf::{SampleWriter, Shelf, hash_samples};
    use zinc_core::rack::{Key, KeyTap, UnitSpec};
    use zinc_core::session::{AudioRef, Family, Role};
    use zinc_core::signal::noise::white;
    use zinc_core::unit::catalogue::kind;

    const RATE: u32 = 48_000;
    /// Ten seconds: fifteen stretches.
    const FRAMES: usize = 480_000;

    /// A shelf with a mono and a stereo recording, and a session in which the second track is driven by the first.
    fn studio() -> (tempfile::TempDir, Prints, Session, Vec<Source>) {
        let folder = tempfile::tempdir().unwrap();
        let shelf = Shelf::open(folder.path()).unwrap();
        let mut session = Session::new("pool", RATE);
        let main = session.main_id();
        let mut tracks = Vec::new();
        for channels in [1u8, 2] {
            let sound: Vec<f32> = (0..FRAMES * usize::from(channels)).map(|n| 0.3 * white(n) as f32).collect();
            let hash = hash_samples(&sound, usize::from(channels), RATE);
            let mut writer = SampleWriter::create(&shelf.audio_file(&hash)).unwrap();
            writer.write(&sound).unwrap();
            writer.finish().unwrap();
            let audio = AudioRef { hash, channels, frames: FRAMES as u64, start: 0 };
            tracks.push(session.add_strip("track", Family::Bs, Role::Track(audio), main));
        }
        for (n, strip) in tracks.iter().enumerate() {
            let key = (n == 1).then_some(Key::Strip { strip: tracks[0], tap: KeyTap::AfterRack });
            let mut unit = UnitSpec { key, ..UnitSpec::new(kind("compressor").unwrap()) };
            unit.settings.fixed.put_number("threshold_db", -30.0);
            session.add_unit(*strip, unit);
        }
        let sources = tracks.iter().rev().map(|strip| Source::Racked { strip: *strip }).collect();
        (folder, Prints::new(shelf), session, sources)
    }

    fn bytes_of(prints: &Prints, session: &Session, sources: &[Source]) -> Vec<Vec<u8>> {
        let file = |source: &Source| std::fs::read(prints.cache.shelf.print_file(&Cache::key(session, source)));
        sources.iter().map(|source| file(source).unwrap()).collect()
    }

    #[test]
    fn what_grows_can_be_read_before_it_is_whole_and_is_then_what_is_printed_at_once() {
        let (_folder, prints, session, sources) = studio();
        let (streams, wanted) = prints.begin(&session, &sources).unwrap();
        assert!(!wanted.is_done() && streams.iter().all(|s| s.channels == 2 && s.url.starts_with("/api/sides/")));
        let begins = Arc::clone(&wanted.growths[0].1);
        let (job, key) = (Job::alone(), Cache::key(&session, &sources[0]));
        let early = std::thread::scope(|scope| {
            let reads = scope.spawn(|| {
                let bytes = prints.read_sides((&key, streams[0].frames), 0, 8 * 1000 - 1).unwrap();
                (bytes, begins.share())
            });
            wanted.make(&job).unwrap();
            reads.join().unwrap()
        });
        assert!(early.1 < 1.0, "the beginning was read when {} of it was there", early.1);
        assert!(wanted.growths.iter().all(|(_, growth)| growth.failure().is_none()));
        drop(wanted);
        let grown = bytes_of(&prints, &session, &sources);
        // The mono track stays mono; both sides of it are read all the same.
        assert_eq!(grown.iter().map(Vec::len).collect::<Vec<_>>(), [8 * FRAMES, 4 * FRAMES]);
        assert_eq!(early.0[..], grown[0][..8000]);
        let mono = (Cache::key(&session, &sources[1]), streams[1].frames);
        let both = prints.read_sides((&mono.0, mono.1), 8 * 77 + 4, 8 * 79 + 3).unwrap();
        let (a, b) = (&grown[1][4 * 77..4 * 78], &grown[1][4 * 78..4 * 79]);
        assert_eq!(both, [a, b, b, &grown[1][4 * 79..4 * 80]].concat());
        // All of it again the other way, on a shelf of its own.
        let (_other, whole, session, sources) = studio();
        whole.ensure(&session, &sources, &Job::alone()).unwrap();
        assert!(bytes_of(&whole, &session, &sources) == grown, "a print that has grown is another");
        assert!(prints.begin(&session, &sources).unwrap().1.is_done(), "what is there does not grow again");
    }

    #[test]
    fn what_is_waited_for_comes_first_then_what_is_wanted_whole_then_what_is_furthest_behind() {
        let (_folder, prints, mut session, sources) = studio();
        session.strips[1].rack.units[0].key = None;
        let wanted = prints.begin(&session, &sources).unwrap().1;
        let job = Job::alone();
        let next = || {
            let shares = || [0, 1].map(|n: usize| wanted.growths[n].1.share());
            let before = shares();
            assert!(wanted.work(&job, Instant::now()));
            let after = shares();
            [0, 1].map(|n| after[n] > before[n]).iter().position(|grew| *grew).unwrap()
        };
        let mut first = [next(), next()];
        first.sort_unstable();
        assert_eq!(first, [0, 1], "in step");
        wanted.growths[1].1.ask(98_000);
        assert_eq!([next(), next()], [1, 1], "until it has come so far");
        assert_eq!([next(), next()], [0, 0], "in step again");
        wanted.growths[0].1.ask_whole();
        assert_eq!([next(), next()], [0, 0], "to its end");
        wanted.growths[1].1.ask(160_000);
        assert_eq!([next(), next()], [1, 1], "but who waits to hear goes first");
        assert_eq!(next(), 0);
    }

    #[test]
    fn what_nobody_wants_any_more_is_given_up_and_what_another_wants_goes_on() {
        let (_folder, prints, session, sources) = studio();
        let first = prints.begin(&session, &sources).unwrap().1;
        let growth = Arc::clone(&first.growths[0].1);
        let second = prints.begin(&session, &sources).unwrap().1;
        assert!(Arc::ptr_eq(&second.growths[0].1, &growth), "it is made once for both");
        drop(first);
        assert!(!growth.is_over());
        let stopped = Job::alone();
        stopped.cancel();
        assert!(matches!(second.make(&stopped), Err(JobError::Cancelled)));
        drop(second);
        assert!(growth.is_over() && lock(&prints.begin(&session, &[]).unwrap().1.pool.left).waiting.is_empty());
        assert_eq!(prints.cache.shelf.leftovers().unwrap(), 0, "nothing half made stays");
        // Asked for again it begins anew, and a reader who came before it waits for it.
        let third = prints.begin(&session, &sources).unwrap().1;
        third.make(&Job::alone()).unwrap();
        drop(third);
        assert_eq!(bytes_of(&prints, &session, &sources).len(), 2);
    }

    #[test]
    fn a_recording_that_is_damaged_is_said_and_what_does_not_need_it_is_made() {
        let (_folder, prints, session, sources) = studio();
        let Role::Track(audio) = &session.strips[1].role else { panic!("a track") };
        let file = prints.cache.shelf.audio_file(&audio.hash);
        let mut bytes = std::fs::read(&file).unwrap();
        bytes[1000] ^= 1;
        std::fs::write(&file, bytes).unwrap();
        let wanted = prints.begin(&session, &sources).unwrap().1;
        let Err(JobError::Failed(why)) = wanted.make(&Job::alone()) else { panic!("it is damaged") };
        assert!(why.contains("damaged"), "{why}");
        let there = sources.iter().filter(|source| prints.cache.stream(&session, source).is_some());
        assert_eq!(there.count(), 1, "the other track is printed");
    }
}
