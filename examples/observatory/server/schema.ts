/** The tables, as a list of steps: each is done once, in this order, whatever the number of processes. */
export const migrations: readonly (readonly [name: string, sql: string])[] = [
  [
    '1 telescopes, callers, sessions',
    `create table telescopes (id text primary key, aperture double precision not null);
     create table callers (
       key_digest text primary key,
       team text not null,
       role text not null check (role in ('team', 'operator'))
     );
     create table sessions (
       id bigint generated always as identity primary key,
       telescope text not null references telescopes,
       team text not null,
       night date not null,
       -- Which of a team's sessions in that night: the quota is the number of slots.
       slot int not null check (slot between 1 and 2),
       state text not null default 'booked',
       booked jsonb not null default '{}',
       version int not null default 1,
       own_key text,
       fingerprint text
     );
     create unique index one_session_a_night on sessions (telescope, night) where state <> 'cancelled';
     create unique index quota on sessions (team, night, slot) where state <> 'cancelled';
     create unique index one_booking_a_key on sessions (team, own_key);`,
  ],
  [
    '2 observers, reports, charts, weather',
    `create table observers (id bigint generated always as identity primary key, observer jsonb not null);
     create table reports (
       telescope text not null references telescopes,
       night date not null,
       report jsonb not null,
       primary key (telescope, night)
     );
     create table charts (
       session bigint primary key references sessions,
       type text not null,
       bytes bytea not null,
       sheet jsonb not null,
       is_final boolean not null
     );
     create table weather (
       station text not null,
       at timestamptz not null,
       reading jsonb not null,
       primary key (station, at)
     );`,
  ],
]
