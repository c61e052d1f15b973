-- migrate:up

-- Money that goes back. Like an attempt, a refund is committed before the gateway is asked; its id is the key the
-- gateway knows it by, and `asked_as` the key of whoever pressed, so that a press counts once.
create table refunds (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null,
  order_id uuid not null,
  charge_id uuid not null references charges,
  asked_as uuid not null,
  currency text not null,
  amount bigint not null check (amount > 0),
  parts jsonb not null,
  note text not null default '',
  by uuid references people,
  state text not null default 'open' check (state in ('open', 'made', 'refused')),
  reason text,
  gateway_reference text,
  made_at timestamptz,
  opened_at timestamptz not null,
  closed_at timestamptz,
  ask_at timestamptz not null,
  asks integer not null default 0,
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id),
  unique (site_id, mode, id),
  unique (site_id, mode, asked_as),
  constraint refund_closed_has_its_time check ((state = 'open') = (closed_at is null)),
  constraint refund_refused_has_its_reason check ((state = 'refused') = (reason is not null)),
  constraint refund_made_has_its_reference
    check ((state = 'made') = (gateway_reference is not null) and (state = 'made') = (made_at is not null))
);
create index refunds_of_order on refunds (site_id, mode, order_id, id);
comment on column refunds.made_at is 'when the gateway says that it gave the money back';
create index refunds_of_charge on refunds (charge_id);
create index refunds_open on refunds (ask_at) where state = 'open';

-- At most what was charged is given back, whoever asks at the same time.
create function refuse_too_much() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
declare charged bigint;
begin
  select amount into charged from charges
    where id = new.charge_id and site_id = new.site_id and mode = new.mode and order_id = new.order_id
      and currency = new.currency for update;
  if charged is null then
    raise exception 'a refund is of a charge of its order' using errcode = 'integrity_constraint_violation';
  end if;
  if new.amount + coalesce((select sum(amount) from refunds where charge_id = new.charge_id and state <> 'refused'), 0)
      > charged then
    raise exception 'more than was charged would be given back' using errcode = 'integrity_constraint_violation';
  end if;
  return new;
end $$;
create trigger refunds_within_the_charge before insert on refunds for each row execute function refuse_too_much();

create trigger refunds_close_once before update on refunds
  for each row when (old.state <> 'open' and new is distinct from old)
  execute function refuse_reopening();
create trigger refunds_stay before delete on refunds for each row execute function refuse_change();

create function claim_open_refunds(now timestamptz, most integer) returns table (site_id uuid, id uuid)
  language sql security definer set search_path = public, pg_temp as
$$ update refunds set asks = refunds.asks + 1,
     ask_at = now + least(interval '10 minutes', interval '5 seconds' * (2 ^ least(refunds.asks, 10)))
   where refunds.id in (
     select r.id from refunds r where r.state = 'open' and r.ask_at <= now
     order by r.ask_at limit most for update skip locked)
   returning refunds.site_id, refunds.id $$;
revoke execute on function claim_open_refunds(timestamptz, integer), refuse_too_much() from public;
grant execute on function claim_open_refunds(timestamptz, integer) to skurrow_app;

-- What is looked for by order or connection is found as fast in a large book -----------------------------------------

create index attempts_of_order on attempts (site_id, mode, order_id, id);
create index gateway_events_of_connection on gateway_events (connection_id, received_at);

-- Credit notes are papers of refunds --------------------------------------------------------------------------------

alter table papers drop constraint papers_kind_check;
alter table papers add constraint papers_kind_check check (kind in ('invoice', 'receipt', 'credit_note'));
alter table papers add column refund_id uuid;
alter table papers add foreign key (site_id, mode, refund_id) references refunds (site_id, mode, id);
alter table papers add constraint credit_notes_have_their_refund check ((kind = 'credit_note') = (refund_id is not null));
drop index papers_one_an_order;
create index papers_of_order on papers (site_id, mode, order_id, id);
create unique index papers_one_an_order on papers (site_id, mode, order_id) where refund_id is null;
create unique index papers_one_a_refund on papers (site_id, mode, refund_id) where refund_id is not null;

alter table refunds enable row level security;
alter table refunds force row level security;
create policy keeper on refunds to skurrow_owner using (true) with check (true);
create policy own_site on refunds to skurrow_app using (site_id = current_site()) with check (site_id = current_site());
grant select, insert, update on refunds to skurrow_app;
-- migrate:down
