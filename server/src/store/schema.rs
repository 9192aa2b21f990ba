// The tables of `migrations/`, for Diesel.

diesel::table! {
    audio (hash) {
        hash -> Text,
        name -> Text,
        channels -> Integer,
        rate -> Integer,
        frames -> BigInt,
        time_reference -> Nullable<BigInt>,
    }
}

diesel::table! {
    intakes (hash) {
        hash -> Text,
        body -> Text,
    }
}

diesel::table! {
    sounds (hash) {
        hash -> Text,
    }
}

diesel::table! {
    remembered_parts (name) {
        name -> Text,
        part -> Text,
    }
}

diesel::table! {
    sessions (id) {
        id -> Integer,
        name -> Text,
        rate -> Integer,
        tempo_bpm -> Double,
        beats_per_bar -> Integer,
        next_id -> Integer,
        version -> Integer,
        journal_at -> Integer,
        notebook -> Text,
        points_on_beats -> Bool,
        removed_at -> Nullable<BigInt>,
    }
}

diesel::table! {
    sections (session_id, position) {
        session_id -> Integer,
        position -> Integer,
        name -> Text,
        start_frame -> BigInt,
        end_frame -> BigInt,
        id -> Integer,
    }
}

diesel::table! {
    strips (session_id, id) {
        session_id -> Integer,
        id -> Integer,
        position -> Integer,
        name -> Text,
        family -> Text,
        note -> Text,
        role -> Text,
        audio_hash -> Nullable<Text>,
        feeds -> Nullable<Integer>,
        controls -> Text,
        part -> Text,
        guessed -> Bool,
        take_set -> Integer,
        audio_start -> BigInt,
        over_time -> Text,
        kept -> Text,
        audio_stamp -> Nullable<BigInt>,
    }
}

diesel::table! {
    sends (session_id, strip_id, position) {
        session_id -> Integer,
        strip_id -> Integer,
        position -> Integer,
        to_strip -> Integer,
        level_db -> Double,
        before_fader -> Bool,
    }
}

diesel::table! {
    units (session_id, id) {
        session_id -> Integer,
        strip_id -> Integer,
        id -> Integer,
        position -> Integer,
        kind -> Text,
        body -> Text,
    }
}

diesel::table! {
    journal (session_id, seq) {
        session_id -> Integer,
        seq -> Integer,
        edit -> Text,
        inverse -> Text,
        gesture -> Text,
        window -> Text,
    }
}

diesel::table! {
    changes (session_id, version) {
        session_id -> Integer,
        version -> Integer,
        edit -> Text,
        window -> Text,
        ident -> Text,
        overtook -> Text,
        back -> Text,
    }
}

diesel::table! {
    demos (session_id) {
        session_id -> Integer,
        layout -> Text,
    }
}

diesel::joinable!(demos -> sessions (session_id));
diesel::allow_tables_to_appear_in_same_query!(demos, sessions);
