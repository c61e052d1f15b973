-- migrate:up

-- Buyers may say at any time, signed in or not, that they give something back or withdraw from what they bought. Each is
-- kept as it was typed, with when it came; which order it is of is known where its code and its buyer's address fit.
create table give_backs (
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  id uuid not null,
  code text not null,
  order_id uuid references orders on delete cascade,
  name text not null,
  email text not null,
  typed_order text not null,
  what text not null,
  words text not null,
  at timestamptz not null,
  state text not null default 'open' check (state in ('open', 'done', 'declined')),
  answer text not null default '',
  decided_at timestamptz,
  decided_by uuid references people,
  primary key (site_id, mode, id)
);
create index give_backs_open on give_backs (site_id, mode, at) where state = 'open';
create index give_backs_of_order on give_backs (order_id) where order_id is not null;
comment on table give_backs is 'what buyers have said that they give back, as they typed it';

alter table give_backs enable row level security;
alter table give_backs force row level security;
create policy keeper on give_backs to skurrow_owner using (true) with check (true);
create policy own_site on give_backs to skurrow_app
  using (site_id = current_site()) with check (site_id = current_site());
grant select, insert, delete on give_backs to skurrow_app;
grant update (name, email, what, words, state, answer, decided_at, decided_by) on give_backs to skurrow_app;

-- migrate:down

drop table give_backs;
