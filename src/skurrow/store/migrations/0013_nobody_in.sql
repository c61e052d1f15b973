-- migrate:up

-- Whose mailbox an address is -------------------------------------------------------------------------------------------

-- Addresses are compared by skurrow.core.mailboxes, which this is for addresses in ASCII letters; the others are filled in
-- right after the migrations (skurrow.store.mailbox_keys), since the database knows no IDNA.
create function mailbox_of(address text) returns text language sql immutable as
$$ select case when address ~ '^[[:ascii:]]*$' and position('@' in address) > 0
   then lower(btrim(address)) end $$;

alter table people add column mailbox text;
alter table invitations add column mailbox text;
alter table orders add column customer text not null default '';
comment on column orders.customer is 'the mailbox of whoever bought, by which customers are known';

-- What did not become unique: two rows of one mailbox, or one that stood for two.
create table mailbox_collisions (
  id uuid primary key default gen_random_uuid(),
  site_id uuid references sites,
  what text not null,
  mailbox text not null,
  row_id uuid,
  found_at timestamptz not null default now()
);
comment on table mailbox_collisions is 'rows that were one customer or person before addresses were compared by IDNA, and are two now, or the other way round';

drop index people_email;
drop index invitations_open;
create unique index people_mailbox on people (mailbox);
create unique index invitations_open on invitations (site_id, mailbox) where ended_at is null and mailbox is not null;

drop index orders_being_paid;
create index orders_being_paid on orders (site_id, mode, customer) where state in ('open', 'waiting');
create index orders_of_customer on orders (site_id, mode, customer);

-- Who is signed in, and who has a password, was decided by an address that two people could have: all sign in again, with
-- a mailed link. A password counts from now on once it was proved, and is kept apart until then.
delete from account_links;
delete from account_sessions;
delete from account_passwords;
alter table account_passwords drop column visit, drop column proved;

create table typed_passwords (
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  customer text not null,
  visit uuid not null,
  password_hash text not null,
  set_at timestamptz not null,
  primary key (site_id, mode, customer, visit)
);
comment on table typed_passwords is
  'typed at a checkout, by whoever opened its charge; it counts once somebody who holds that visit follows a mailed link';

-- A message of a connection is about its own charges ---------------------------------------------------------------------

alter table attempts add constraint attempts_have_their_connection unique (id, order_id, connection_id);
alter table charges add constraint charges_come_through_their_attempt
  foreign key (attempt_id, order_id, connection_id) references attempts (id, order_id, connection_id);
alter table charges add constraint charges_have_their_order unique (site_id, mode, id, order_id);
alter table refunds add constraint refunds_are_of_a_charge_of_their_order
  foreign key (site_id, mode, charge_id, order_id) references charges (site_id, mode, id, order_id);
alter table disputes add constraint disputes_are_of_a_charge_of_their_order
  foreign key (site_id, mode, charge_id, order_id) references charges (site_id, mode, id, order_id);

-- Whose message settled it, where one did: of the account that was charged through, however often it was connected.
alter table attempts add column told_by uuid references connections;
alter table refunds add column told_by uuid references connections;
alter table disputes add column told_by uuid references connections;
comment on column attempts.told_by is 'the connection whose message settled it; null: we asked, or a person said so';

create function one_account(one uuid, other uuid) returns boolean
  language sql stable security definer set search_path = public, pg_temp as
$$ select one = other or exists (
     select from connections a join connections b using (site_id, mode, adapter, merchant) where a.id = one and b.id = other) $$;

create function refuse_strangers_word() returns trigger
  language plpgsql security definer set search_path = public, pg_temp as $$
declare through uuid;
begin
  if tg_table_name = 'attempts' then
    through := new.connection_id;
  else
    select connection_id into through from charges where id = new.charge_id;
  end if;
  if not one_account(new.told_by, through) then
    raise exception 'a message of one gateway says nothing of what was charged through another'
      using errcode = 'integrity_constraint_violation';
  end if;
  return new;
end $$;
create trigger attempts_hear_their_gateway before insert or update on attempts
  for each row when (new.told_by is not null) execute function refuse_strangers_word();
create trigger refunds_hear_their_gateway before insert or update on refunds
  for each row when (new.told_by is not null) execute function refuse_strangers_word();
create trigger disputes_hear_their_gateway before insert or update on disputes
  for each row when (new.told_by is not null) execute function refuse_strangers_word();
revoke execute on function one_account(uuid, uuid), refuse_strangers_word() from public;
grant execute on function one_account(uuid, uuid) to skurrow_app;

-- Limits: how often somebody did something lately ------------------------------------------------------------------------

create table tallies (
  kind text not null,
  who text not null,
  slot timestamptz not null,
  n integer not null,
  primary key (kind, who, slot)
);
create index tallies_by_slot on tallies (slot);
comment on column tallies.who is 'a keyed hash of an address, a mailbox or a site: it says nothing to anybody else';
grant select, insert, update, delete on tallies to skurrow_app;
drop table sign_in_failures; -- counted there now

-- Stock and coupons of an order that nobody has paid are held for a while -------------------------------------------------

alter table stock_holds add column until timestamptz;
alter table coupon_uses add column until timestamptz;
create index stock_holds_ending on stock_holds (until) where until is not null;
create index coupon_uses_ending on coupon_uses (until) where until is not null;
comment on column stock_holds.until is 'by the date of its book: until when an order that waits for a person''s money holds it';

create function claim_ended_holds(now timestamptz, most integer) returns table (site_id uuid, id uuid)
  language sql stable security definer set search_path = public, pg_temp as
$$ select distinct h.site_id, h.order_id from (
     select stock_holds.site_id, mode, order_id, until from stock_holds where until is not null
     union all select coupon_uses.site_id, mode, order_id, until from coupon_uses where until is not null) h
   left join calendars c on c.site_id = h.site_id and h.mode = 'test'
   where h.until <= now + coalesce(c.ahead, '0') limit most $$;

-- What cannot be handled is set aside ------------------------------------------------------------------------------------

alter table gateway_events add column tries integer not null default 0;
alter table gateway_events add column set_aside_at timestamptz;
alter table gateway_events add column trouble text;
drop index gateway_events_open;
create index gateway_events_open on gateway_events (handle_at) where handled_at is null and set_aside_at is null;
create index gateway_events_aside on gateway_events (site_id, id) where set_aside_at is not null and handled_at is null;

alter table mails add column set_aside_at timestamptz;
alter table mails add column trouble text;
drop index mails_to_send;
create index mails_to_send on mails (send_at) where sent_at is null and set_aside_at is null;
create index mails_aside on mails (site_id, id) where set_aside_at is not null and sent_at is null;

alter table subscriptions add column due_tries integer not null default 0;
alter table subscriptions add column set_aside_at timestamptz;
alter table subscriptions add column trouble text;
create index subscriptions_aside on subscriptions (site_id, id) where set_aside_at is not null;

-- Claiming counts the try before it is made, so that one that ends the process is counted, too.
create or replace function claim_gateway_events(now timestamptz, most integer) returns table (site_id uuid, id uuid)
  language sql security definer set search_path = public, pg_temp as
$$ update gateway_events set set_aside_at = now, trouble = coalesce(trouble, 'the worker died over it')
   where gateway_events.handled_at is null and gateway_events.set_aside_at is null and gateway_events.handle_at <= now
     and gateway_events.tries >= 8;
   update gateway_events set tries = gateway_events.tries + 1,
     handle_at = now + least(interval '1 hour', interval '10 seconds' * (3 ^ least(gateway_events.tries, 10)))
   where gateway_events.id in (
     select e.id from gateway_events e where e.handled_at is null and e.set_aside_at is null and e.handle_at <= now
     order by e.handle_at limit most for update skip locked)
   returning gateway_events.site_id, gateway_events.id $$;

create or replace function claim_mails(now timestamptz, most integer) returns table (site_id uuid, id uuid)
  language sql security definer set search_path = public, pg_temp as
$$ update mails set tries = mails.tries + 1,
     send_at = now + least(interval '1 hour', interval '10 seconds' * (2 ^ least(mails.tries, 12)))
   where mails.id in (
     select m.id from mails m where m.sent_at is null and m.set_aside_at is null and m.send_at <= now
     order by m.send_at limit most for update skip locked)
   returning mails.site_id, mails.id $$;

create or replace function claim_due_subscriptions(now timestamptz, most integer) returns table (site_id uuid, id uuid)
  language sql security definer set search_path = public, pg_temp as
$$ update subscriptions set claimed_until = now + interval '2 minutes'
   where subscriptions.id in (
     select s.id from subscriptions s where s.mode = 'live' and s.due_at is not null and s.due_at <= now
       and s.set_aside_at is null and (s.claimed_until is null or s.claimed_until <= now)
     order by s.due_at limit most for update skip locked)
   returning subscriptions.site_id, subscriptions.id $$;

-- Opened, closed, stopped ------------------------------------------------------------------------------------------------

alter table sites add column selling text not null default 'opened' check (selling in ('opened', 'closed', 'stopped'));
alter table sites add column selling_words text not null default '';
alter table sites add column test_pass integer not null default 0;
comment on column sites.selling is
  'whether new orders are taken: closed for who comes, stopped for those under way, too; live_since never goes back';
comment on column sites.test_pass is 'the number of the present test pass; earlier ones were withdrawn';

create table stopped_parts (
  site_id uuid not null references sites,
  kind text not null check (kind in ('product', 'checkout')),
  part_id text not null,
  words text not null default '',
  at timestamptz not null,
  by uuid references people,
  primary key (site_id, kind, part_id)
);
comment on table stopped_parts is 'products and checkouts that sell no more until this is taken back';

create table selling_changes (
  id uuid primary key,
  site_id uuid not null references sites,
  kind text not null check (kind in ('site', 'product', 'checkout')),
  part_id text not null default '',
  state text not null check (state in ('opened', 'closed', 'stopped')),
  words text not null default '',
  at timestamptz not null,
  by uuid references people
);
create index selling_changes_newest on selling_changes (site_id, id desc);
create trigger selling_changes_stay before update or delete on selling_changes
  for each row execute function refuse_change();

create or replace function tell_listeners() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
declare told jsonb;
begin
  if tg_table_name = 'events' then
    told := jsonb_build_object('kind', 'order', 'mode', new.mode, 'what', new.kind, 'code',
      (select code from orders o where o.site_id = new.site_id and o.mode = new.mode and o.id = new.order_id));
  elsif tg_table_name = 'part_revisions' then
    told := jsonb_build_object('kind', 'draft', 'part', new.kind, 'id', new.part_id, 'change', new.change,
      'by', (select name from people where people.id = new."by"));
  elsif tg_table_name = 'releases' then
    told := jsonb_build_object('kind', 'release', 'number', new.number);
  elsif tg_table_name = 'selling_changes' then
    told := jsonb_build_object('kind', 'selling', 'state', new.state);
  else
    told := jsonb_build_object('kind', 'people');
  end if;
  perform pg_notify('skurrow_sites',
    jsonb_build_object('site', coalesce(new.site_id, old.site_id), 'told', told)::text);
  return null;
end $$;

create trigger selling_told after insert on selling_changes for each row execute function tell_listeners();

-- Passwords of the desk can be set anew ----------------------------------------------------------------------------------

create table password_resets (
  token_hash bytea primary key,
  person_id uuid not null references people,
  created_at timestamptz not null,
  expires_at timestamptz not null,
  used_at timestamptz
);
create index password_resets_of on password_resets (person_id, created_at);
grant select, insert, update, delete on password_resets to skurrow_app;

do $$
declare name text;
begin
  foreach name in array array['typed_passwords', 'stopped_parts', 'selling_changes', 'mailbox_collisions']
  loop
    execute format('alter table %I enable row level security', name);
    execute format('alter table %I force row level security', name);
    execute format('create policy keeper on %I to skurrow_owner using (true) with check (true)', name);
    execute format('create policy own_site on %I to skurrow_app using (site_id = current_site())'
      ' with check (site_id = current_site())', name);
  end loop;
end $$;
grant select, insert, delete on typed_passwords, stopped_parts to skurrow_app;
grant select, insert on selling_changes to skurrow_app;
grant select on mailbox_collisions to skurrow_app;
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
  delete from typed_passwords where site_id = site and mode = 'test';
  perform set_config('skurrow.clearing', '', true);
  return cleared;
end $$;
revoke execute on function claim_ended_holds(timestamptz, integer) from public;
grant execute on function claim_ended_holds(timestamptz, integer), mailbox_of(text) to skurrow_app;
-- migrate:down
