//! Long work: on threads of its own, with progress and cancel, never in a handler.

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, AtomicU64, AtomicUsize, Ordering};
use std::sync::mpsc::{Receiver, Sender, channel};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use serde_json::{Value as Json, json};
use zinc_sound::in_words;

/// Threads that render; two jobs at once, so that a long print does not
/// hold up the figures of the page.
const THREADS: usize = 2;
/// Threads that read files, whatever is being rendered.
const READERS: usize = 2;
/// Most jobs of one kind that wait for their turn.
const MOST_WAITING: usize = 200;
/// Finished jobs remembered for pages that ask late.
const REMEMBERED: usize = 200;

/// How a job stands.
#[derive(Clone, Debug)]
pub enum JobState {
    /// At work (or waiting).
    Running {
        /// What it is doing.
        label: String,
        /// Share done, 0..1.
        share: f64,
    },
    /// Done, with its result.
    Done(Json),
    /// It could not be done.
    Failed(String),
    /// Stopped on request.
    Cancelled,
}

impl JobState {
    /// What the page is told.
    #[must_use]
    pub fn to_json(&self) -> Json {
        match self {
            Self::Running { label, share } => json!({ "state": "running", "label": label, "share": share }),
            Self::Done(result) => json!({ "state": "done", "result": result }),
            Self::Failed(why) => json!({ "state": "failed", "error": why }),
            Self::Cancelled => json!({ "state": "cancelled" }),
        }
    }

    /// Whether nothing more will happen.
    #[must_use]
    pub fn is_over(&self) -> bool {
        !matches!(self, Self::Running { .. })
    }
}

/// One piece of long work.
pub struct Job {
    /// Identity, counted from 1.
    pub id: u64,
    state: Mutex<JobState>,
    cancelled: AtomicBool,
    /// Whether its work has begun; changed with the state held.
    begun: AtomicBool,
    /// Whether it goes on when nobody waits for it any more.
    lasts: bool,
    followers: AtomicUsize,
}

/// Why work stopped before its end.
#[derive(Debug)]
pub enum JobError {
    /// On request.
    Cancelled,
    /// For this reason.
    Failed(String),
}

impl JobError {
    /// It panicked.
    #[must_use]
    pub fn fault() -> Self {
        Self::Failed("This work ran into a fault of the program; nothing was changed.".into())
    }

    /// Why, for a sentence.
    #[must_use]
    pub fn words(self) -> String {
        match self {
            Self::Cancelled => "it was stopped".to_string(),
            Self::Failed(why) => why,
        }
    }
}

impl<E: std::error::Error + 'static> From<E> for JobError {
    fn from(e: E) -> Self {
        let of_the_system = (&e as &dyn std::error::Error).downcast_ref::<std::io::Error>();
        Self::Failed(match of_the_system {
            Some(refused) => format!("It could not be done ({}); nothing half done was kept.", in_words(refused)),
            None => e.to_string(),
        })
    }
}

impl Job {
    fn new(id: u64, state: JobState, lasts: bool) -> Self {
        let (cancelled, begun, followers) = (AtomicBool::new(false), AtomicBool::new(false), AtomicUsize::new(0));
        Self { id, state: Mutex::new(state), cancelled, begun, lasts, followers }
    }

    /// A job that nobody follows, for work done where it is asked for.
    #[must_use]
    pub fn alone() -> Self {
        let state = JobState::Running { label: String::new(), share: 0.0 };
        Self::new(0, state, true)
    }

    /// How it stands.
    pub fn state(&self) -> JobState {
        lock(&self.state).clone()
    }

    /// Says what is being done and how far it is.
    ///
    /// # Errors
    /// [`JobError::Cancelled`] when somebody asked to stop.
    pub fn progress(&self, label: &str, share: f64) -> Result<(), JobError> {
        if self.is_cancelled() {
            return Err(JobError::Cancelled);
        }
        *lock(&self.state) = JobState::Running { label: label.to_string(), share };
        Ok(())
    }

    /// Whether somebody has asked it to stop.
    #[must_use]
    pub fn is_cancelled(&self) -> bool {
        self.cancelled.load(Ordering::Relaxed)
    }

    /// Asks it to stop. One that waits for its turn is over at once.
    pub fn cancel(&self) {
        let mut state = lock(&self.state);
        self.cancelled.store(true, Ordering::Relaxed);
        if !self.begun.load(Ordering::Relaxed) && !state.is_over() {
            *state = JobState::Cancelled;
        }
    }

    /// Its turn has come: whether there is something to do.
    fn begin(&self) -> bool {
        let state = lock(&self.state);
        self.begun.store(true, Ordering::Relaxed);
        !state.is_over()
    }

    /// Somebody waits for it.
    pub fn followed(&self) {
        self.followers.fetch_add(1, Ordering::Relaxed);
    }

    /// Somebody does so no more; whether nobody is left and it should stop unless somebody comes again.
    pub fn left(&self) -> bool {
        self.followers.fetch_sub(1, Ordering::Relaxed) == 1 && !self.lasts
    }

    /// Stops it if nobody has come again.
    pub fn cancel_if_alone(&self) {
        if self.followers.load(Ordering::Relaxed) == 0 {
            self.cancel();
        }
    }
}

type Work = Box<dyn FnOnce(&Job) -> Result<Json, JobError> + Send>;

/// Jobs that wait for their turn, and the threads that do them in order.
struct Queue {
    sender: Mutex<Sender<(Arc<Job>, Work)>>,
    waiting: Arc<AtomicUsize>,
}

impl Queue {
    fn start(threads: usize) -> Self {
        let (sender, receiver) = channel();
        let receiver = Arc::new(Mutex::new(receiver));
        let waiting = Arc::new(AtomicUsize::new(0));
        for _ in 0..threads {
            let (receiver, waiting) = (Arc::clone(&receiver), Arc::clone(&waiting));
            std::thread::spawn(move || work_through(&receiver, &waiting));
        }
        Self { sender: Mutex::new(sender), waiting }
    }

    /// Lets a job wait; one too many has failed already.
    fn add(&self, job: &Arc<Job>, work: Work) {
        if self.waiting.fetch_add(1, Ordering::Relaxed) >= MOST_WAITING {
            self.waiting.fetch_sub(1, Ordering::Relaxed);
            let why =
                format!("{MOST_WAITING} jobs wait already. Nothing was begun; try again when some of them are done.");
            *lock(&job.state) = JobState::Failed(why);
            return;
        }
        // The receiving threads live as long as the program.
        let _ = lock(&self.sender).send((Arc::clone(job), work));
    }
}

/// The jobs of a running server.
pub struct Jobs {
    known: Mutex<HashMap<u64, Arc<Job>>>,
    next: AtomicU64,
    rendering: Queue,
    reading: Queue,
}

impl Jobs {
    /// Starts the threads.
    #[must_use]
    pub fn start() -> Arc<Self> {
        let (rendering, reading) = (Queue::start(THREADS), Queue::start(READERS));
        Arc::new(Self { known: Mutex::default(), next: AtomicU64::new(1), rendering, reading })
    }

    /// Queues work that is for the page that asks, such as figures, and returns its job: once followed, it ends with
    /// the last who follows it, so that a page that is gone does not hold up the next.
    pub fn add(&self, label: &str, work: impl FnOnce(&Job) -> Result<Json, JobError> + Send + 'static) -> Arc<Job> {
        self.queue(&self.rendering, label, false, Box::new(work))
    }

    /// Queues work that leaves something behind, such as a print, and goes on whoever waits for it.
    pub fn add_lasting(
        &self,
        label: &str,
        work: impl FnOnce(&Job) -> Result<Json, JobError> + Send + 'static,
    ) -> Arc<Job> {
        self.queue(&self.rendering, label, true, Box::new(work))
    }

    /// Queues the reading of a file, which no rendering holds up.
    pub fn add_reading(
        &self,
        label: &str,
        work: impl FnOnce(&Job) -> Result<Json, JobError> + Send + 'static,
    ) -> Arc<Job> {
        self.queue(&self.reading, label, true, Box::new(work))
    }

    /// Begins work at once, on a thread of its own: what is waited for to be heard does not queue behind figures. It
    /// ends with the last who follows it.
    pub fn begin(&self, label: &str, work: impl FnOnce(&Job) -> Result<Json, JobError> + Send + 'static) -> Arc<Job> {
        self.set_going(label, false, Box::new(work))
    }

    /// The same for work that leaves something behind, and goes on whoever waits for it.
    pub fn begin_lasting(
        &self,
        label: &str,
        work: impl FnOnce(&Job) -> Result<Json, JobError> + Send + 'static,
    ) -> Arc<Job> {
        self.set_going(label, true, Box::new(work))
    }

    fn set_going(&self, label: &str, lasts: bool, work: Work) -> Arc<Job> {
        let job = self.known_as(label, lasts);
        let own = Arc::clone(&job);
        std::thread::spawn(move || do_work(&own, work));
        job
    }

    fn queue(&self, queue: &Queue, label: &str, lasts: bool, work: Work) -> Arc<Job> {
        let job = self.known_as(label, lasts);
        queue.add(&job, work);
        job
    }

    fn known_as(&self, label: &str, lasts: bool) -> Arc<Job> {
        let id = self.next.fetch_add(1, Ordering::Relaxed);
        let state = JobState::Running { label: label.to_string(), share: 0.0 };
        let job = Arc::new(Job::new(id, state, lasts));
        let mut known = lock(&self.known);
        known.retain(|old, job| id - old < REMEMBERED as u64 || !job.state().is_over());
        known.insert(id, Arc::clone(&job));
        job
    }

    /// The job with this identity.
    pub fn get(&self, id: u64) -> Option<Arc<Job>> {
        lock(&self.known).get(&id).cloned()
    }
}

fn work_through(receiver: &Mutex<Receiver<(Arc<Job>, Work)>>, waiting: &AtomicUsize) {
    loop {
        let Ok((job, work)) = lock(receiver).recv() else { return };
        waiting.fetch_sub(1, Ordering::Relaxed);
        do_work(&job, work);
    }
}

fn do_work(job: &Job, work: Work) {
    // What was cancelled before its turn is not begun.
    if !job.begin() {
        return;
    }
    let result = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| work(job)));
    let state = match result {
        Ok(Ok(value)) => JobState::Done(value),
        Ok(Err(JobError::Cancelled)) => JobState::Cancelled,
        Ok(Err(JobError::Failed(why))) => JobState::Failed(why),
        Err(_) => JobState::Failed(JobError::fault().words()),
    };
    *lock(&job.state) = state;
}

/// Does `work` for every item on [`THREADS`] threads; `work` is told the share of
/// items done before. Results are in the items' order.
///
/// # Errors
/// The first failure seen; items not begun by then are left.
pub fn side_by_side<I: Sync, R: Send>(
    items: &[I],
    work: impl Fn(f64, &I) -> Result<R, JobError> + Sync,
) -> Result<Vec<R>, JobError> {
    let (next, done) = (AtomicUsize::new(0), AtomicUsize::new(0));
    let results: Vec<Mutex<Option<R>>> = items.iter().map(|_| Mutex::new(None)).collect();
    let failure: Mutex<Option<JobError>> = Mutex::new(None);
    std::thread::scope(|scope| {
        for _ in 0..THREADS.min(items.len()) {
            scope.spawn(|| {
                while let Some(i) = Some(next.fetch_add(1, Ordering::Relaxed)).filter(|i| *i < items.len()) {
                    let share = done.fetch_add(1, Ordering::Relaxed) as f64 / items.len() as f64;
                    match work(share, &items[i]) {
                        Ok(result) => *lock(&results[i]) = Some(result),
                        Err(stopped) => {
                            lock(&failure).get_or_insert(stopped);
                            next.store(items.len(), Ordering::Relaxed);
                        }
                    }
                }
            });
        }
    });
    match failure.into_inner().unwrap_or_else(PoisonError::into_inner) {
        Some(stopped) => Err(stopped),
        None => {
            Ok(results.into_iter().filter_map(|r| r.into_inner().unwrap_or_else(PoisonError::into_inner)).collect())
        }
    }
}

/// A lock that outlives a panic elsewhere: every value behind it is whole at all times.
pub fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use std::sync::Barrier;
    use std::time::{Duration, Instant};

    /// Jobs whose rendering threads are both at work until the barrier is reached from here.
    fn busy() -> (Arc<Jobs>, Arc<Barrier>) {
        let (jobs, end) = (Jobs::start(), Arc::new(Barrier::new(THREADS + 1)));
        let (begun, all_begun) = channel();
        for _ in 0..THREADS {
            let (end, begun) = (Arc::clone(&end), begun.clone());
            jobs.add_lasting("a long print", move |_| {
                begun.send(()).unwrap();
                end.wait();
                Ok(Json::Null)
            });
        }
        all_begun.iter().take(THREADS).for_each(drop);
        (jobs, end)
    }

    fn is_over(job: &Job, within: Duration) -> bool {
        let begun = Instant::now();
        while !job.state().is_over() && begun.elapsed() < within {
            std::thread::sleep(Duration::from_millis(5));
        }
        job.state().is_over()
    }

    #[test]
    fn what_waits_for_its_turn_is_over_as_soon_as_it_is_cancelled_and_never_begins() {
        let (jobs, end) = busy();
        let waits = jobs.add_lasting("a print that waits", |_| panic!("it was cancelled"));
        waits.cancel();
        assert!(matches!(waits.state(), JobState::Cancelled));
        end.wait();
        // Behind it in the queue: its turn has passed.
        assert!(is_over(&jobs.add("figures", |_| Ok(Json::Null)), Duration::from_secs(10)));
        assert!(matches!(waits.state(), JobState::Cancelled));
    }

    #[test]
    fn a_file_is_read_while_long_prints_hold_up_all_others() {
        let (jobs, end) = busy();
        let print = jobs.add_lasting("a print that waits", |_| Ok(Json::Null));
        assert!(is_over(&jobs.add_reading("reading", |_| Ok(Json::Null)), Duration::from_secs(10)));
        assert!(!print.state().is_over());
        end.wait();
    }

    #[test]
    fn one_job_too_many_is_told_so_and_those_that_wait_are_done() {
        let (jobs, end) = busy();
        let all: Vec<_> = (0..=MOST_WAITING).map(|_| jobs.add("figures", |_| Ok(Json::Null))).collect();
        let (last, others) = all.split_last().unwrap();
        let JobState::Failed(why) = last.state() else { panic!("one too many waits") };
        assert!(why.contains("200 jobs wait already"), "{why}");
        end.wait();
        assert!(others.iter().all(|job| is_over(job, Duration::from_secs(10))));
        assert!(others.iter().all(|job| matches!(job.state(), JobState::Done(_))));
    }
}
