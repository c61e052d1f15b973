-- migrate:up

-- How subscriptions are looked after is a part of a site --------------------------------------------------------------

alter table part_revisions drop constraint part_revisions_kind_check;
alter table part_revisions add constraint part_revisions_kind_check
  check (kind in ('site', 'currencies', 'tax', 'delivery', 'papers', 'payments', 'subscriptions', 'product', 'coupon',
    'checkout', 'stand_in_buyer'));

-- Subscriptions ---------------------------------------------------------------------------------------------------------

-- What it was promised and how it stands is `life`, as the core reckons with it; the columns beside it are what is looked
-- for. A charge of it is an order of its own.
create table subscriptions (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  code text not null,
  order_id uuid,
  change bigint not null,
  release integer,
  checkout_id text not null default '',
  customer text not null,
  buyer jsonb not null,
  connection_id uuid,
  sealed_on_file bytea,
  card_ending text,
  product text not null,
  price text not null,
  ladder boolean not null,
  state text not null check (state in ('trial', 'active', 'failing', 'paused', 'ended', 'completed')),
  currency text not null check (currency ~ '^[A-Z]{3}$'),
  next_on date,
  due_at timestamptz,
  claimed_until timestamptz,
  paid_order_id uuid,
  supply jsonb not null default '{}',
  life jsonb not null,
  started_at timestamptz not null,
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id),
  foreign key (site_id, mode, paid_order_id) references orders (site_id, mode, id),
  foreign key (site_id, mode, connection_id) references connections (site_id, mode, id),
  foreign key (site_id, release, change) references releases (site_id, number, change),
  unique (site_id, mode, id),
  unique (site_id, mode, code),
  constraint live_ones_are_of_releases check (mode = 'test' or release is not null),
  constraint on_file_at_a_gateway check (sealed_on_file is null or connection_id is not null),
  constraint nothing_is_due_when_it_is_over check (state not in ('ended', 'completed') or due_at is null)
);
create index subscriptions_newest on subscriptions (site_id, mode, id desc);
create index subscriptions_due_live on subscriptions (due_at) where mode = 'live' and due_at is not null;
create index subscriptions_due_test on subscriptions (site_id, due_at) where mode = 'test' and due_at is not null;
create index subscriptions_of_customer on subscriptions (site_id, mode, customer);
create index subscriptions_of_order on subscriptions (site_id, mode, order_id) where order_id is not null;
create index subscriptions_of_paid_order on subscriptions (site_id, mode, paid_order_id) where paid_order_id is not null;
create index subscriptions_next on subscriptions (site_id, mode, next_on) where next_on is not null;
comment on column subscriptions.change is 'the configuration that its present terms are of, where a newer one lacks what it needs';
comment on column subscriptions.paid_order_id is 'the order that the present paid time was paid with';
comment on column subscriptions.supply is 'of instalments: under which change, and for which buyer, the present set was supplied';
comment on column subscriptions.ladder is 'whether its price is a step of a ladder, of which a customer has one only';

create table subscription_events (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null,
  subscription_id uuid not null,
  kind text not null,
  body jsonb not null,
  at timestamptz not null,
  foreign key (site_id, mode, subscription_id) references subscriptions (site_id, mode, id)
);
create index subscription_events_of on subscription_events (site_id, mode, subscription_id, id);
create trigger subscription_events_stay before update on subscription_events
  for each row execute function refuse_change();

-- An order may be a charge of a subscription ----------------------------------------------------------------------------

alter table orders add column kind text not null default 'sale'
  check (kind in ('sale', 'renewal', 'change', 'pay_off', 'restart'));
alter table orders add column subscription_id uuid;
alter table orders add column period integer;
alter table orders add column from_balance bigint not null default 0 check (from_balance >= 0);
alter table orders add constraint charges_of_a_subscription
  foreign key (site_id, mode, subscription_id) references subscriptions (site_id, mode, id);
alter table orders add constraint kinds_have_their_subscription
  check ((kind = 'sale') = (subscription_id is null) and (subscription_id is null) = (period is null));
create index orders_of_subscription on orders (site_id, mode, subscription_id, period) where subscription_id is not null;
create unique index orders_one_renewal_a_period on orders (site_id, mode, subscription_id, period) where kind = 'renewal';
create unique index orders_one_paid_a_period on orders (site_id, mode, subscription_id, period)
  where subscription_id is not null and state = 'paid';
create index orders_being_paid on orders (site_id, mode, lower(buyer ->> 'email')) where state in ('open', 'waiting');
comment on column orders.from_balance is 'what of it was paid with what the customer had left with the seller; total is the rest';

alter table attempts drop constraint attempts_amount_check;
alter table attempts add constraint attempts_amount_check check (amount >= 0);
alter table attempts add column subscription_id uuid;
alter table attempts add column period integer;
create index attempts_due_test on attempts (site_id, due_at) where mode = 'test' and state = 'open' and due_at is not null;
create unique index attempts_one_a_period on attempts (site_id, mode, subscription_id, period)
  where subscription_id is not null and state in ('open', 'paid');
comment on column attempts.amount is 'nothing, where a card is only kept on file';

-- An order that comes to nothing may have an attempt, by which a card is kept.
create or replace function states_fit() returns trigger language plpgsql as $$
declare its uuid; declare waits boolean; declare paid boolean; declare state_now text; declare due bigint;
begin
  if tg_table_name = 'orders' then its := new.id; else its := new.order_id; end if;
  select state, total into state_now, due from orders where site_id = new.site_id and mode = new.mode and id = its;
  select coalesce(bool_or(a.state = 'open' and a.waits is not null), false), coalesce(bool_or(a.state = 'paid'), false)
    into waits, paid from attempts a where a.site_id = new.site_id and a.mode = new.mode and a.order_id = its;
  if (state_now = 'waiting') <> waits or (paid and state_now <> 'paid') or (state_now = 'paid' and due > 0 and not paid) then
    raise exception 'order % is %, and its attempts are not', its, state_now
      using errcode = 'integrity_constraint_violation';
  end if;
  return null;
end $$;

-- Unused time that was credited to a customer ---------------------------------------------------------------------------

create table credits (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null,
  subscription_id uuid not null,
  order_id uuid not null,
  currency text not null,
  amount bigint not null check (amount > 0),
  parts jsonb not null,
  at timestamptz not null,
  foreign key (site_id, mode, subscription_id) references subscriptions (site_id, mode, id),
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id),
  unique (site_id, mode, id)
);
create unique index credits_one_an_order on credits (site_id, mode, order_id);
create index credits_of_subscription on credits (site_id, mode, subscription_id);
create trigger credits_stay before update on credits for each row execute function refuse_change();
comment on table credits is 'unused time of an order, credited when its plan was changed; its tax goes back with it';

alter table papers add column credit_id uuid;
alter table papers add constraint papers_credit_fk foreign key (site_id, mode, credit_id) references credits (site_id, mode, id);
alter table papers add constraint credits_have_credit_notes check (kind = 'credit_note' or credit_id is null);
drop index papers_one_an_order;
create unique index papers_one_an_order on papers (site_id, mode, order_id, (kind = 'credit_note'))
  where refund_id is null and credit_id is null;
create unique index papers_one_a_credit on papers (site_id, mode, credit_id) where credit_id is not null;

-- Mails to customers have an HTML form and the seller's name, and those of the test book bear its date --------------------

alter table mails add column sealed_page bytea;
alter table mails add column from_name text not null default '';
alter table mails add column dated_at timestamptz;

-- Customers sign in with a mailed link, or with a password that they have proved to be theirs ---------------------------------

create table account_links (
  token_hash bytea primary key,
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  customer text not null,
  created_at timestamptz not null,
  expires_at timestamptz not null,
  used_at timestamptz
);
create index account_links_of on account_links (site_id, mode, customer, created_at);

create table account_sessions (
  token_hash bytea primary key,
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  customer text not null,
  created_at timestamptz not null,
  expires_at timestamptz not null
);
create index account_sessions_of on account_sessions (site_id, mode, customer);

create table account_passwords (
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  customer text not null,
  password_hash text not null,
  visit uuid not null,
  proved boolean not null default false,
  set_at timestamptz not null,
  primary key (site_id, mode, customer)
);
comment on column account_passwords.proved is
  'whether whoever set it, in this visit, has shown that the address is theirs; until then nobody signs in with it';

-- The calendar of the test book -----------------------------------------------------------------------------------------

create table calendars (
  site_id uuid primary key references sites,
  ahead interval not null default '0',
  began_from timestamptz,
  target timestamptz,
  at timestamptz,
  done integer not null default 0,
  by uuid references people,
  claimed_until timestamptz,
  trouble text,
  constraint under_way_has_its_times check ((target is null) = (at is null))
);
create index calendars_moving on calendars (site_id) where target is not null;
comment on column calendars.ahead is 'how far the test book''s date is ahead of the clock';
comment on column calendars.target is 'while it is being moved: up to when, with how far it has come beside it';

do $$
declare name text;
begin
  foreach name in array array['subscriptions', 'subscription_events', 'credits', 'calendars', 'account_links',
    'account_sessions', 'account_passwords']
  loop
    execute format('alter table %I enable row level security', name);
    execute format('alter table %I force row level security', name);
    execute format('create policy keeper on %I to skurrow_owner using (true) with check (true)', name);
    execute format('create policy own_site on %I to skurrow_app using (site_id = current_site())'
      ' with check (site_id = current_site())', name);
  end loop;
end $$;
grant select, insert, update on subscriptions, calendars to skurrow_app;
grant select, insert on subscription_events, credits to skurrow_app;
grant select, insert, update, delete on account_links, account_sessions, account_passwords to skurrow_app;

create function claim_due_subscriptions(now timestamptz, most integer) returns table (site_id uuid, id uuid)
  language sql security definer set search_path = public, pg_temp as
$$ update subscriptions set claimed_until = now + interval '2 minutes'
   where subscriptions.id in (
     select s.id from subscriptions s where s.mode = 'live' and s.due_at is not null and s.due_at <= now
       and (s.claimed_until is null or s.claimed_until <= now)
     order by s.due_at limit most for update skip locked)
   returning subscriptions.site_id, subscriptions.id $$;

create function claim_moving_calendars(now timestamptz, most integer) returns table (site_id uuid, id uuid)
  language sql security definer set search_path = public, pg_temp as
$$ update calendars set claimed_until = now + interval '1 minute'
   where calendars.site_id in (
     select c.site_id from calendars c where c.target is not null and (c.claimed_until is null or c.claimed_until <= now)
     order by c.site_id limit most for update skip locked)
   returning calendars.site_id, calendars.site_id $$;

revoke execute on function claim_due_subscriptions(timestamptz, integer), claim_moving_calendars(timestamptz, integer)
  from public;
grant execute on function claim_due_subscriptions(timestamptz, integer), claim_moving_calendars(timestamptz, integer)
  to skurrow_app;

create or replace function clear_test_data(site uuid) returns bigint
  language plpgsql security definer set search_path = public, pg_temp as $$
declare cleared bigint;
begin
  if site is distinct from current_site() then
    raise exception 'only the own site is cleared' using errcode = 'insufficient_privilege';
  end if;
  perform set_config('skurrow.clearing', 'test', true);
  -- Whoever settles an order locks it first, and so do we, all of them.
  perform 1 from orders where site_id = site and mode = 'test' order by id for update;
  perform 1 from subscriptions where site_id = site and mode = 'test' order by id for update;
  delete from papers where site_id = site and mode = 'test';
  delete from number_series where site_id = site and mode = 'test';
  delete from refunds where site_id = site and mode = 'test';
  delete from credits where site_id = site and mode = 'test';
  delete from disputes where site_id = site and mode = 'test';
  delete from events where site_id = site and mode = 'test';
  delete from transfers where site_id = site and mode = 'test';
  delete from statements where site_id = site and mode = 'test';
  delete from reviews where site_id = site and mode = 'test';
  delete from charges where site_id = site and mode = 'test';
  delete from attempts where site_id = site and mode = 'test';
  delete from stock_holds where site_id = site and mode = 'test';
  delete from coupon_uses where site_id = site and mode = 'test';
  delete from coupon_counts where site_id = site and mode = 'test';
  delete from stock_counts where site_id = site and mode = 'test';
  delete from stock_levels where site_id = site and mode = 'test';
  delete from tax_number_checks where site_id = site and mode = 'test';
  delete from reconciliations where site_id = site and mode = 'test';
  delete from gateway_events where site_id = site
    and connection_id in (select id from connections where site_id = site and mode = 'test');
  delete from subscription_events where site_id = site and mode = 'test';
  update subscriptions set order_id = null, paid_order_id = null where site_id = site and mode = 'test';
  delete from orders where site_id = site and mode = 'test';
  get diagnostics cleared = row_count;
  delete from subscriptions where site_id = site and mode = 'test';
  delete from calendars where site_id = site;
  delete from account_links where site_id = site and mode = 'test';
  delete from account_sessions where site_id = site and mode = 'test';
  delete from account_passwords where site_id = site and mode = 'test';
  perform set_config('skurrow.clearing', '', true);
  return cleared;
end $$;
-- migrate:down
