-- migrate:up

-- Two roles: skurrow_owner owns every table and runs migrations; skurrow_app, the application, owns none and sees
-- only the rows of the site that its transaction has named (set_config('skurrow.site', …, true)).

create function current_site() returns uuid language sql stable as
$$ select nullif(current_setting('skurrow.site', true), '')::uuid $$;

-- People and their sessions belong to no site ---------------------------------------------------------------

create table people (
  id uuid primary key,
  email text not null,
  name text not null,
  password_hash text not null,
  created_at timestamptz not null
);
create unique index people_email on people (lower(email));

create table sessions (
  token_hash bytea primary key,
  person_id uuid not null references people,
  created_at timestamptz not null,
  expires_at timestamptz not null
);

create table sign_in_failures (
  id bigint generated always as identity primary key,
  email text not null,
  address text not null,
  at timestamptz not null
);
create index sign_in_failures_email on sign_in_failures (email, at);
create index sign_in_failures_address on sign_in_failures (address, at);

-- Sites and their configuration -----------------------------------------------------------------------------

create table sites (
  id uuid primary key,
  code text not null unique,
  head_change bigint not null default 0,
  live_since timestamptz,
  created_at timestamptz not null
);

create table members (
  site_id uuid not null references sites,
  person_id uuid not null references people,
  role text not null check (role in ('developer', 'owner', 'onlooker')),
  primary key (site_id, person_id)
);

-- Configuration is kept in parts. Each edit raises the site's change number and adds revisions under it; the draft
-- is the newest revision of every part, and what stood at any change can be read back for ever.
create table part_revisions (
  site_id uuid not null references sites,
  kind text not null check (kind in ('site', 'currencies', 'tax', 'product', 'checkout')),
  part_id text not null,
  change bigint not null check (change > 0),
  position integer not null,
  body jsonb,
  at timestamptz not null,
  by uuid references people,
  primary key (site_id, kind, part_id, change)
);
comment on column part_revisions.body is 'null: the part is archived from this change on';

-- A release is a number for the state of all parts at one change.
create table releases (
  site_id uuid not null references sites,
  number integer not null check (number > 0),
  change bigint not null check (change > 0),
  note text not null default '',
  at timestamptz not null,
  by uuid references people,
  primary key (site_id, number),
  unique (site_id, number, change)
);

-- The public address of a checkout: what snippets and links carry.
create table addresses (
  code text primary key,
  site_id uuid not null references sites,
  checkout_id text not null,
  unique (site_id, checkout_id)
);

-- Gateways --------------------------------------------------------------------------------------------------

create table connections (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  adapter text not null,
  merchant text not null,
  sealed_key bytea not null,
  sealed_event_secret bytea not null,
  events_url text not null,
  account jsonb not null,
  connected_at timestamptz not null,
  replaced_at timestamptz,
  unique (site_id, mode, id)
);
create unique index connections_current on connections (site_id, mode, adapter) where replaced_at is null;

create table gateway_events (
  id uuid primary key,
  site_id uuid not null references sites,
  connection_id uuid not null references connections,
  message_id text not null,
  body jsonb not null,
  received_at timestamptz not null,
  handled_at timestamptz,
  handle_at timestamptz not null,
  outcome text,
  unique (connection_id, message_id)
);
create index gateway_events_open on gateway_events (handle_at) where handled_at is null;

-- Orders and money ------------------------------------------------------------------------------------------

create table orders (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  visit uuid not null,
  code text not null,
  checkout_id text not null,
  change bigint not null,
  release integer,
  state text not null default 'open' check (state in ('open', 'paid')),
  buyer jsonb not null,
  currency text not null check (currency ~ '^[A-Z]{3}$'),
  total bigint not null check (total between 0 and 9999999999),
  quote jsonb not null,
  created_at timestamptz not null,
  paid_at timestamptz,
  unique (site_id, mode, visit),
  unique (site_id, mode, code),
  unique (site_id, mode, id),
  foreign key (site_id, release, change) references releases (site_id, number, change),
  constraint paid_has_its_time check ((state = 'paid') = (paid_at is not null)),
  constraint live_buyers_meet_releases check (mode = 'test' or release is not null)
);
create index orders_by_time on orders (site_id, mode, id desc);

-- A charge attempt is committed before the gateway is asked. Its id is the key the gateway knows it by.
create table attempts (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null,
  order_id uuid not null,
  connection_id uuid not null,
  currency text not null,
  amount bigint not null check (amount > 0),
  state text not null default 'open' check (state in ('open', 'paid', 'refused')),
  reason text,
  sealed_token bytea,
  opened_at timestamptz not null,
  closed_at timestamptz,
  ask_at timestamptz not null,
  asks integer not null default 0,
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id),
  foreign key (site_id, mode, connection_id) references connections (site_id, mode, id),
  unique (site_id, mode, id),
  constraint closed_has_its_time check ((state = 'open') = (closed_at is null)),
  constraint refused_has_its_reason check ((state = 'refused') = (reason is not null)),
  constraint token_goes_when_closed check (state = 'open' or sealed_token is null)
);
create unique index attempts_one_an_order on attempts (site_id, mode, order_id) where state in ('open', 'paid');
create index attempts_open on attempts (ask_at) where state = 'open';

create table charges (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null,
  order_id uuid not null,
  attempt_id uuid not null unique,
  connection_id uuid not null,
  gateway_reference text not null,
  currency text not null,
  amount bigint not null check (amount > 0),
  card_ending text,
  charged_at timestamptz not null,
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id),
  foreign key (site_id, mode, attempt_id) references attempts (site_id, mode, id),
  foreign key (site_id, mode, connection_id) references connections (site_id, mode, id),
  unique (connection_id, gateway_reference)
);
create index charges_of_order on charges (site_id, mode, order_id);

create table events (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  order_id uuid not null,
  kind text not null,
  body jsonb not null,
  at timestamptz not null,
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id)
);
create index events_of_order on events (site_id, mode, order_id, id);

-- What may never happen -------------------------------------------------------------------------------------

create function refuse_change() returns trigger language plpgsql as $$
begin
  raise exception '% keeps what was written: no % allowed', tg_table_name, lower(tg_op)
    using errcode = 'integrity_constraint_violation';
end $$;

create trigger revisions_stay before update or delete on part_revisions
  for each row execute function refuse_change();
create trigger releases_stay before update or delete on releases
  for each row execute function refuse_change();
create trigger events_stay before update on events
  for each row execute function refuse_change();
create trigger charges_stay before update on charges
  for each row execute function refuse_change();

create function refuse_reopening() returns trigger language plpgsql as $$
begin
  raise exception '% % is % and cannot become %', tg_table_name, old.id, old.state, new.state
    using errcode = 'integrity_constraint_violation';
end $$;

create trigger attempts_close_once before update on attempts
  for each row when (old.state <> 'open' and new.state is distinct from old.state)
  execute function refuse_reopening();
create trigger orders_stay_paid before update on orders
  for each row when (old.state = 'paid' and new is distinct from old)
  execute function refuse_reopening();

-- Sites are separate ----------------------------------------------------------------------------------------

do $$
declare name text;
begin
  foreach name in array array['sites', 'members', 'part_revisions', 'releases', 'addresses', 'connections',
    'gateway_events', 'orders', 'attempts', 'charges', 'events']
  loop
    execute format('alter table %I enable row level security', name);
    execute format('alter table %I force row level security', name);
    execute format('create policy keeper on %I to skurrow_owner using (true) with check (true)', name);
    execute format('create policy own_site on %I to skurrow_app using (%I = current_site()) with check (%I = current_site())',
      name, case name when 'sites' then 'id' else 'site_id' end, case name when 'sites' then 'id' else 'site_id' end);
  end loop;
end $$;

grant select, insert, update on sites, members, connections, gateway_events, orders, attempts to skurrow_app;
grant select, insert on part_revisions, releases, addresses, charges, events to skurrow_app;
grant select, insert, update on people to skurrow_app;
grant select, insert, delete on sessions, sign_in_failures to skurrow_app;

-- Narrow functions for the few questions that come before the site is known ------------------------------------

create function address_target(address text) returns table (site_id uuid, checkout_id text)
  language sql stable security definer set search_path = public, pg_temp as
$$ select site_id, checkout_id from addresses where code = address $$;

create function site_of_connection(connection uuid) returns uuid
  language sql stable security definer set search_path = public, pg_temp as
$$ select site_id from connections where id = connection $$;

create function sites_of(person uuid) returns table (site_id uuid, code text, role text)
  language sql stable security definer set search_path = public, pg_temp as
$$ select members.site_id, sites.code, members.role from members join sites on sites.id = members.site_id
   where members.person_id = person order by sites.code $$;

-- Claiming moves the time of the next try on, so that two workers do not take the same, and a killed one is followed.
create function claim_open_attempts(now timestamptz, most integer) returns table (site_id uuid, id uuid)
  language sql security definer set search_path = public, pg_temp as
$$ update attempts set asks = attempts.asks + 1,
     ask_at = now + least(interval '10 minutes', interval '5 seconds' * (2 ^ least(attempts.asks, 10)))
   where attempts.id in (
     select a.id from attempts a where a.state = 'open' and a.ask_at <= now
     order by a.ask_at limit most for update skip locked)
   returning attempts.site_id, attempts.id $$;

create function claim_gateway_events(now timestamptz, most integer) returns table (site_id uuid, id uuid)
  language sql security definer set search_path = public, pg_temp as
$$ update gateway_events set handle_at = now + interval '30 seconds'
   where gateway_events.id in (
     select e.id from gateway_events e where e.handled_at is null and e.handle_at <= now
     order by e.handle_at limit most for update skip locked)
   returning gateway_events.site_id, gateway_events.id $$;

revoke execute on all functions in schema public from public;
grant execute on all functions in schema public to skurrow_app;
-- migrate:down
