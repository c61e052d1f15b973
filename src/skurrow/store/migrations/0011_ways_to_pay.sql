-- migrate:up

-- How buyers may pay is a part of a site ------------------------------------------------------------------------------

alter table part_revisions drop constraint part_revisions_kind_check;
alter table part_revisions add constraint part_revisions_kind_check
  check (kind in ('site', 'currencies', 'tax', 'delivery', 'papers', 'payments', 'product', 'coupon', 'checkout',
    'stand_in_buyer'));

-- An order may wait for its money --------------------------------------------------------------------------------------

alter table orders drop constraint orders_state_check;
alter table orders add constraint orders_state_check check (state in ('open', 'waiting', 'paid', 'cancelled'));
comment on column orders.state is
  'waiting: the buyer has done their part, and the money comes in days. cancelled: it was asked for on invoice, and will not come';
create index orders_waiting on orders (site_id, mode, id) where state = 'waiting';

alter table attempts add column waits text check (waits in ('bank', 'person'));
alter table attempts add column due_at timestamptz;
alter table attempts add column off_site boolean not null default false;
alter table attempts add column sent jsonb not null default '{}';
alter table attempts add column card_seen text;
alter table attempts add column address_seen text;
alter table attempts add column buyer_seen text;
comment on column attempts.waits is 'whose word the order waits for; null: the answer decides';
comment on column attempts.due_at is 'until when people may pay it';
comment on column attempts.sent is 'what else was sent, so that it can be sent again to the letter';
comment on column attempts.card_seen is 'keyed hashes of card, connection and buyer, to count tries by';
create index attempts_by_card on attempts (site_id, mode, card_seen, opened_at) where card_seen is not null;
create index attempts_by_address on attempts (site_id, mode, address_seen, opened_at) where address_seen is not null;
create index attempts_by_buyer on attempts (site_id, mode, buyer_seen, opened_at) where buyer_seen is not null;

create function refuse_odd_states() returns trigger language plpgsql as $$
begin
  if new.state = 'cancelled' and old.state <> 'waiting' or old.state = 'cancelled' then
    raise exception 'order % is % and cannot become %', old.id, old.state, new.state
      using errcode = 'integrity_constraint_violation';
  end if;
  return new;
end $$;
create trigger orders_are_cancelled_once before update on orders
  for each row when (new.state is distinct from old.state) execute function refuse_odd_states();

-- What an order says of itself is true when its transaction ends.
create function states_fit() returns trigger language plpgsql as $$
declare its uuid; declare waits boolean; declare paid boolean; declare state_now text; declare due bigint;
begin
  if tg_table_name = 'orders' then its := new.id; else its := new.order_id; end if;
  select state, total into state_now, due from orders where site_id = new.site_id and mode = new.mode and id = its;
  select coalesce(bool_or(a.state = 'open' and a.waits is not null), false), coalesce(bool_or(a.state = 'paid'), false)
    into waits, paid from attempts a where a.site_id = new.site_id and a.mode = new.mode and a.order_id = its;
  if (state_now = 'waiting') <> waits or (state_now = 'paid' and due > 0) <> paid then
    raise exception 'order % is %, and its attempts are not', its, state_now
      using errcode = 'integrity_constraint_violation';
  end if;
  return null;
end $$;
create constraint trigger orders_fit_their_attempts after insert or update on orders deferrable initially deferred
  for each row execute function states_fit();
create constraint trigger attempts_fit_their_order after update on attempts deferrable initially deferred
  for each row when (new.state is distinct from old.state or new.waits is distinct from old.waits)
  execute function states_fit();
revoke execute on function refuse_odd_states(), states_fit() from public;

create index if not exists disputes_open on disputes (site_id) where state = 'open';

-- A cancelled order on invoice has a credit note without a refund --------------------------------------------------------

alter table papers drop constraint credit_notes_have_their_refund;
alter table papers add constraint refunds_have_credit_notes check (kind = 'credit_note' or refund_id is null);
drop index papers_one_an_order;
create unique index papers_one_an_order on papers (site_id, mode, order_id, (kind = 'credit_note')) where refund_id is null;

-- A returned direct debit is told as a lost dispute; money that came in by bank transfer stands in statements --------------------------------------------------------------

create table statements (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null,
  connection_id uuid not null,
  name text not null,
  format text not null check (format in ('camt.053', 'MT940')),
  digest bytea not null,
  entries integer not null check (entries >= 0),
  new_entries integer not null check (new_entries between 0 and entries),
  at timestamptz not null,
  by uuid references people,
  foreign key (site_id, mode, connection_id) references connections (site_id, mode, id),
  unique (site_id, mode, id)
);
create index statements_newest on statements (site_id, mode, id desc);

create table transfers (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null,
  statement_id uuid not null,
  account text not null,
  bank_key text not null,
  currency text not null,
  amount bigint not null check (amount > 0),
  booked_on date not null,
  payer text not null default '',
  payer_account text not null default '',
  text text not null default '',
  state text not null check (state in ('matched', 'aside', 'done')),
  reason text check (reason in ('under', 'over', 'double', 'unknown', 'late', 'currency')),
  order_id uuid,
  attempt_id uuid,
  note text not null default '',
  decided_at timestamptz,
  decided_by uuid references people,
  foreign key (site_id, mode, statement_id) references statements (site_id, mode, id),
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id),
  foreign key (site_id, mode, attempt_id) references attempts (site_id, mode, id),
  unique (site_id, mode, id),
  unique (site_id, mode, account, bank_key),
  constraint matched_to_an_attempt check (state <> 'matched' or attempt_id is not null),
  constraint aside_for_a_reason check (state <> 'aside' or reason is not null)
);
create index transfers_aside on transfers (site_id, mode, id desc) where state = 'aside';
create index transfers_newest on transfers (site_id, mode, id desc);
create index transfers_of_order on transfers (site_id, mode, order_id) where order_id is not null;
comment on column transfers.bank_key is 'the bank''s own name for the entry, so that it counts once whatever statements it is in';

-- Orders held for a person ----------------------------------------------------------------------------------------------

create table reviews (
  order_id uuid not null,
  site_id uuid not null references sites,
  mode text not null,
  reasons jsonb not null,
  state text not null default 'open' check (state in ('open', 'passed', 'given_back')),
  at timestamptz not null,
  decided_at timestamptz,
  decided_by uuid references people,
  primary key (site_id, mode, order_id),
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id),
  constraint decided_has_its_time check ((state = 'open') = (decided_at is null))
);
create index reviews_open on reviews (site_id, mode, order_id) where state = 'open';
create trigger reviews_are_decided_once before update on reviews
  for each row when (old.state <> 'open' and new is distinct from old) execute function refuse_reopening();

do $$
declare name text;
begin
  foreach name in array array['statements', 'transfers', 'reviews']
  loop
    execute format('alter table %I enable row level security', name);
    execute format('alter table %I force row level security', name);
    execute format('create policy keeper on %I to skurrow_owner using (true) with check (true)', name);
    execute format('create policy own_site on %I to skurrow_app using (site_id = current_site())'
      ' with check (site_id = current_site())', name);
  end loop;
end $$;
grant select, insert on statements to skurrow_app;
grant select, insert, update on transfers, reviews to skurrow_app;

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
  delete from papers where site_id = site and mode = 'test';
  delete from number_series where site_id = site and mode = 'test';
  delete from refunds where site_id = site and mode = 'test';
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
  delete from orders where site_id = site and mode = 'test';
  get diagnostics cleared = row_count;
  perform set_config('skurrow.clearing', '', true);
  return cleared;
end $$;
-- migrate:down
