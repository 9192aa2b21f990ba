//! All prints that are being made, whoever waits for them: first what somebody waits to read, then what is wanted whole,
//! then what is furthest behind, so that all can be heard long before any is whole. What is far ahead of a print can be
//! heard as a passage of its own meanwhile, run in from before. What nobody wants any more is given up.

use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use zinc_core::render::offline::run_in;
use zinc_core::render::{Plan, Source};
use zinc_core::session::Session;

use super::cache::Cache;
use super::growth::{GrowingReader, Growth};
use super::making::{Input, Making, Purpose};
use super::queue::{Planted, Queue};
use super::source::resolve;
use crate::jobs::{Job, JobError, lock};

/// Prints that are worked on at once.
const AT_ONCE: usize = 2;
/// Seconds of a print that a passage has to spare for it to be made.
const FAR_AHEAD_S: u64 = 4;
/// Share of all that has to be made before it is said how long the rest takes.
const TOLD_FROM: f64 = 0.04;
/// Longest pause before it is looked again for something to do.
const LOOK: Duration = Duration::from_millis(20);

/// The prints on their way.
#[derive(Default)]
pub struct Pool {
    queue: Mutex<Queue>,
    changed: Condvar,
}

impl Pool {
    /// How far the print with a key has come, while somebody makes it.
    pub fn growth(&self, key: &str) -> Option<Arc<Growth>> {
        lock(&self.queue).growth(key)
    }

    /// A passage of a print from a frame of the song on, where that is sooner there than the print itself.
    ///
    /// # Errors
    /// A missing recording, a full disk.
    pub fn passage(&self, cache: &Cache, key: &str, at: u64) -> Result<Option<Arc<Growth>>, JobError> {
        let mut queue = lock(&self.queue);
        let Some(planted) = queue.planted.get(key) else { return Ok(None) };
        // What is made of the print itself stays: a passage has to be sooner there by far.
        let ahead = run_in(at, planted.lead_in).saturating_sub(planted.growth.written());
        if ahead > FAR_AHEAD_S * u64::from(planted.session.rate) { queue.passage(cache, key, at) } else { Ok(None) }
    }

    /// A passage of a print that has been begun and will have come to a frame of the song.
    pub fn known_passage(&self, key: &str, at: u64) -> Option<Arc<Growth>> {
        lock(&self.queue).known_passage(key, at)
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
        // Of a copy of its own, since it is read when the one who asks may have gone.
        let is_there =
            |source: &Source| matches!(source, Source::Raw { .. }) || cache.stream(session, source).is_some();
        if sources.iter().all(is_there) {
            return Ok(wanted);
        }
        let session = Arc::new(session.clone());
        let mut queue = lock(&pool.queue);
        queue.forget_old_passages();
        for source in sources {
            wanted.plant(&mut queue, &session, source)?;
        }
        drop(queue);
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
        queue: &mut MutexGuard<'_, Queue>,
        session: &Arc<Session>,
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
        let there = queue.growth(&key);
        let lanes: Vec<Source> = plan.lanes().map(|(_, source)| source.clone()).collect();
        for needed in &lanes {
            // Also what another waits for needs its sources when that one has gone.
            let grows = self.plant(queue, session, needed)?;
            if there.is_some() {
                continue;
            }
            inputs.push(match grows {
                None => Input::Whole(cache.open_one(session, needed)?),
                Some(growth) => {
                    awaited.push(Arc::clone(&growth));
                    Input::Growing(GrowingReader::new(growth, 0))
                }
            });
        }
        let growth = match there {
            Some(growth) => growth,
            None => {
                let may_be_mono = cache.may_be_mono(session, &source, &plan);
                let number = queue.begun;
                queue.begun += 1;
                let of = (key.clone(), number, &plan);
                let making = Making::new(&cache, session, of, inputs, awaited, Purpose::Kept { may_be_mono })?;
                let (growth, lead_in) = (making.growth(), making.lead_in());
                let planted = Planted { growth: Arc::clone(&growth), session: Arc::clone(session), source, lead_in };
                queue.passages.retain(|passage| passage.of != key);
                queue.planted.insert(key.clone(), planted);
                queue.waiting.push(making);
                growth
            }
        };
        if !self.growths.iter().any(|(own, _)| *own == key) {
            *queue.wanted.entry(key.clone()).or_default() += 1;
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
        let begun = Mutex::new(None);
        std::thread::scope(|scope| {
            for _ in 0..AT_ONCE {
                scope.spawn(|| while self.work(job, &begun) {});
            }
        });
        job.progress("printing", 1.0)?;
        self.growths.iter().find_map(|(_, growth)| growth.failure()).map_or(Ok(()), |why| Err(JobError::Failed(why)))
    }

    /// Makes a stretch of what comes next, or waits a moment; whether there is more to do.
    fn work(&self, job: &Job, begun: &Mutex<Option<(Instant, f64)>>) -> bool {
        let is_over = self.growths.iter().all(|(_, growth)| growth.is_over());
        if is_over || self.tell(job, begun).is_err() {
            return false;
        }
        let pool = &self.pool;
        let mut queue = lock(&pool.queue);
        let Some(at) = queue.next().filter(|_| queue.in_hand < AT_ONCE) else {
            drop(pool.changed.wait_timeout(queue, LOOK).unwrap_or_else(PoisonError::into_inner));
            return true;
        };
        let mut making = queue.waiting.swap_remove(at);
        queue.in_hand += 1;
        drop(queue);
        let (key, growth) = (making.key.clone(), making.growth());
        // A panic ends this print and no other.
        let stretch = || making.stretch(&self.cache).map(|is_last| (making, is_last));
        let made = std::panic::catch_unwind(std::panic::AssertUnwindSafe(stretch));
        let goes_on = match made.unwrap_or_else(|_| Err(JobError::fault())) {
            Ok((making, true)) => making.finish(&self.cache).map(|()| None),
            Ok((making, false)) => Ok(Some(making)),
            Err(failure) => Err(failure),
        };
        let mut queue = lock(&pool.queue);
        queue.in_hand -= 1;
        let is_wanted = queue.is_wanted(&key, &growth);
        match goes_on {
            Ok(Some(making)) if is_wanted => queue.waiting.push(making),
            Ok(None) => growth.end(),
            Ok(Some(_)) => growth.fail("it was not wanted any more".into()),
            Err(failure) => growth.fail(failure.words()),
        }
        drop(queue);
        pool.changed.notify_all();
        true
    }

    /// Says how far all of it has come and how long it will take, by how fast it went since it began to: passages that
    /// are heard meanwhile come first.
    fn tell(&self, job: &Job, begun: &Mutex<Option<(Instant, f64)>>) -> Result<(), JobError> {
        let share = self.growths.iter().map(|(_, growth)| growth.share()).fold(1.0, f64::min);
        let mut begun = lock(begun);
        let (since, from) = match *begun {
            Some(known) if share > known.1 => known,
            // It has not moved yet: the clock begins when it does.
            _ => *begun.insert((Instant::now(), share)),
        };
        drop(begun);
        let label = match share - from {
            done if done > TOLD_FROM => {
                let seconds = since.elapsed().as_secs_f64() * (1.0 - share) / done;
                format!("printing: {:.0} s to go", seconds.ceil())
            }
            _ => "printing".into(),
        };
        job.progress(&label, share)
    }
}

impl Drop for Wanted {
    fn drop(&mut self) {
        let pool = &self.pool;
        let mut queue = lock(&pool.queue);
        for (key, growth) in &self.growths {
            // Asked before it ends with who makes it.
            let is_whole = growth.is_over() && growth.failure().is_none();
            let others = queue.wanted.get_mut(key).map_or(0, |count| {
                *count -= 1;
                *count
            });
            if others == 0 {
                growth.give_up();
                queue.wanted.remove(key);
                queue.waiting.retain(|making| making.key != *key);
            }
            if others == 0 || growth.is_over() {
                queue.planted.retain(|known, there| known != key || !Arc::ptr_eq(&there.growth, growth));
                queue.give_up_passages(key, is_whole);
            }
        }
        queue.forget_old_passages();
        drop(queue);
        pool.changed.notify_all();
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::super::growth::Urgency;
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
            let audio = AudioRef { hash, channels, frames: FRAMES as u64, start: 0, stamp: None };
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
                let sides = prints.read_sides((&key, streams[0].frames), 0, 8 * 1000 - 1).unwrap();
                (sides.bytes, begins.share())
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
        let both = prints.read_sides((&mono.0, mono.1), 8 * 77 + 4, 8 * 79 + 3).unwrap().bytes;
        let (a, b) = (&grown[1][4 * 77..4 * 78], &grown[1][4 * 78..4 * 79]);
        assert_eq!(both, [a, b, b, &grown[1][4 * 79..4 * 80]].concat());
        // All of it again the other way, on a shelf of its own.
        let (_other, whole, session, sources) = studio();
        whole.ensure(&session, &sources, &Job::alone()).unwrap();
        assert!(bytes_of(&whole, &session, &sources) == grown, "a print that has grown is another");
        assert!(prints.begin(&session, &sources).unwrap().1.is_done(), "what is there does not grow again");
    }

    #[test]
    fn what_is_far_ahead_is_heard_from_a_run_in_until_the_print_itself_has_come_there() {
        let (_folder, prints, session, sources) = studio();
        let (streams, wanted) = prints.begin(&session, &sources).unwrap();
        let (from, to) = (8 * 400_001, 8 * 440_000 - 1);
        let keys: Vec<String> = sources.iter().map(|source| Cache::key(&session, source)).collect();
        let of = (keys[0].as_str(), streams[0].frames);
        prints.ask(&keys[0], from, to);
        let passage = prints.pool().known_passage(&keys[0], 400_001).unwrap();
        assert_eq!((passage.from(), passage.written()), (400_001, 400_001));
        // What drives it is a passage as well: both are there long before the prints.
        while !passage.has(440_000) {
            assert!(wanted.work(&Job::alone(), &Mutex::default()));
        }
        let settling = prints.read_sides(of, from, to).unwrap();
        assert!(settling.is_settling && wanted.growths.iter().all(|(_, growth)| growth.written() < 250_000));
        wanted.make(&Job::alone()).unwrap();
        drop(wanted);
        let exact = prints.read_sides(of, from, to).unwrap();
        assert!(
            !exact.is_settling && exact.bytes == bytes_of(&prints, &session, &sources)[0][from as usize..=to as usize]
        );
        let floats = |bytes: &[u8]| -> Vec<f32> {
            bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect()
        };
        let (settled, exact) = (floats(&settling.bytes), floats(&exact.bytes));
        let power = |sound: &mut dyn Iterator<Item = f32>| sound.map(|x| f64::from(x).powi(2)).sum::<f64>();
        let error = power(&mut settled.iter().zip(&exact).map(|(a, b)| a - b));
        assert!(error < 1e-6 * power(&mut exact.iter().copied()), "a run-in of two seconds: {error}");
        // Whoever has the passage in the ear goes over to the print.
        let joined = floats(&prints.read_joined(of, from, to).unwrap().bytes);
        assert_eq!(joined[4096..], exact[4096..]);
        let nearly = |n: usize| (joined[n] - settled[n]).abs() <= (exact[n] - settled[n]).abs();
        assert!((0..4096).all(nearly));
    }

    #[test]
    fn what_stands_behind_others_is_run_in_while_they_are_and_not_after_them() {
        let (_folder, prints, session, sources) = studio();
        let _wanted = prints.begin(&session, &sources).unwrap().1;
        prints.ask(&Cache::key(&session, &sources[0]), 8 * 400_001, 8 * 440_000 - 1);
        let queue = lock(&prints.pool().queue);
        let begins: Vec<u64> = queue.waiting.iter().filter(|one| one.is_passage()).map(Making::read).collect();
        // The driven one, and what drives it: both with the two seconds of a compressor, at one place.
        assert_eq!(begins.len(), 2);
        let first = run_in(400_001, 2 * u64::from(RATE));
        assert!(begins.iter().all(|from| (first - 1024..=first).contains(from)), "{begins:?}, not {first}");
    }

    #[test]
    fn nothing_made_from_a_print_of_a_damaged_recording_is_kept_however_long_that_rings_on() {
        for rings in [false, true] {
            let (_folder, prints, mut session, sources) = studio();
            let driver = session.tracks().next().unwrap();
            let (id, Role::Track(audio)) = (driver.id, driver.role.clone()) else { panic!("a track") };
            if rings {
                let bands = serde_json::json!([{"freq_hz": 20, "gain_db": 12, "q": 30}]);
                let eq = serde_json::json!({"kind": "surgical-eq", "params": {"bands": bands}});
                session.add_unit(id, UnitSpec::from_json(&eq, 1).unwrap());
            }
            let file = prints.cache.shelf.audio_file(&audio.hash);
            let mut bytes = std::fs::read(&file).unwrap();
            bytes[1000] ^= 1;
            std::fs::write(&file, bytes).unwrap();
            let (streams, wanted) = prints.begin(&session, &sources).unwrap();
            let frames = |n: usize| streams[n].frames;
            // The driven one is over two stretches before what drives it.
            assert_eq!(frames(1) > frames(0) + 2 * 32_768, rings, "{} {}", frames(0), frames(1));
            let Err(JobError::Failed(why)) = wanted.make(&Job::alone()) else { panic!("it is damaged") };
            assert!(why.contains("damaged"), "{why}");
            drop(wanted);
            assert!(sources.iter().all(|source| prints.cache.stream(&session, source).is_none()));
        }
    }

    #[test]
    fn what_nobody_wants_any_more_stops_within_its_stretch() {
        let (_folder, prints, session, sources) = studio();
        let wanted = prints.begin(&session, &sources).unwrap().1;
        let mut making = lock(&prints.pool().queue).waiting.remove(0);
        assert!(matches!(making.stretch(&prints.cache), Ok(false)));
        let (growth, written) = (making.growth(), making.growth().written());
        assert!(written > 0);
        // In hand with one who makes it when the last who wanted it goes.
        drop(wanted);
        assert!(matches!(making.stretch(&prints.cache), Err(JobError::Cancelled)));
        assert_eq!(growth.written(), written);
    }

    #[test]
    fn a_passage_that_does_not_come_in_time_makes_nobody_wait_for_all_that_lies_before_it() {
        let (_folder, prints, session, sources) = studio();
        let (streams, wanted) = prints.begin(&session, &sources).unwrap();
        let key = Cache::key(&session, &sources[0]);
        // Nobody makes anything: it is waited for in vain.
        assert!(prints.read_sides((&key, streams[0].frames), 8 * 400_001, 8 * 440_000 - 1).is_err());
        assert_eq!(prints.pool().known_passage(&key, 400_001).unwrap().urgency(), Urgency::Awaited);
        assert!(wanted.growths.iter().all(|(_, growth)| growth.urgency() == Urgency::InStep));
    }

    #[test]
    fn of_many_passages_two_are_kept_beside_those_that_others_are_made_from_and_none_of_a_print_given_up() {
        let (_folder, prints, session, sources) = studio();
        let wanted = prints.begin(&session, &sources).unwrap().1;
        let keys: Vec<String> = sources.iter().map(|source| Cache::key(&session, source)).collect();
        let count = |key: &str| lock(&prints.pool().queue).passages.iter().filter(|one| one.of == key).count();
        // What is driven is run in, and with it, from further before, what drives it.
        prints.ask(&keys[0], 8 * 400_001, 8 * 440_000 - 1);
        assert_eq!([count(&keys[0]), count(&keys[1])], [1, 1]);
        // Each before the others, so that none of them comes there.
        for at in [302_000, 299_000, 296_000, 293_000] {
            prints.ask(&keys[1], 8 * at, 8 * (at + 1000) - 1);
        }
        assert_eq!(count(&keys[1]), 3, "two, and the one that is a source");
        let passage = prints.pool().known_passage(&keys[0], 400_001).unwrap();
        while !passage.has(440_000) {
            assert!(wanted.work(&Job::alone(), &Mutex::default()));
        }
        assert!(passage.failure().is_none(), "its source was not taken from it");
        drop(wanted);
        assert_eq!([count(&keys[0]), count(&keys[1])], [0, 0]);
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
            assert!(wanted.work(&job, &Mutex::default()));
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
        assert!(growth.is_over() && lock(&prints.begin(&session, &[]).unwrap().1.pool.queue).waiting.is_empty());
        assert_eq!(prints.cache.shelf.leftovers().unwrap(), 0, "nothing half made stays");
        // Asked for again it begins anew, and a reader who came before it waits for it.
        let third = prints.begin(&session, &sources).unwrap().1;
        third.make(&Job::alone()).unwrap();
        drop(third);
        assert_eq!(bytes_of(&prints, &session, &sources).len(), 2);
    }

    #[test]
    fn what_is_still_to_be_printed_is_counted_once_and_no_more_once_it_is_there() {
        let (_folder, prints, session, sources) = studio();
        let lengths = sources.iter().map(|source| Plan::of_source(&session, source).unwrap().length(&session).frames);
        let bytes: u64 = lengths.map(|frames| frames * 8).sum();
        // The second is driven by the first, which is asked for as well.
        assert_eq!(prints.cache.bytes_to_come(&session, &sources), bytes);
        assert!(prints.cache.room_for(&session, &sources, 0).is_ok());
        let why = prints.cache.room_for(&session, &sources, u64::MAX).unwrap_err();
        assert!(why.contains("this print needs") && why.contains("Nothing was begun"), "{why}");
        prints.begin(&session, &sources).unwrap().1.make(&Job::alone()).unwrap();
        assert_eq!(prints.cache.bytes_to_come(&session, &sources), 0);
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
