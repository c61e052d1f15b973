-- migrate:up

-- A buyer has gone to their bank: the gateway tells, in any order, that it was opened and how it was decided.
create table disputes (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null,
  order_id uuid not null,
  charge_id uuid not null references charges,
  gateway_reference text not null,
  currency text not null,
  amount bigint not null check (amount > 0),
  reason text not null,
  state text not null check (state in ('open', 'won', 'lost')),
  opened_at timestamptz not null,
  decided_at timestamptz,
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id),
  unique (charge_id, gateway_reference),
  constraint dispute_decided_has_its_time check ((state = 'open') = (decided_at is null))
);
create index disputes_of_order on disputes (site_id, mode, order_id);
create trigger disputes_are_decided_once before update on disputes
  for each row when (old.state <> 'open' and new is distinct from old)
  execute function refuse_reopening();
create trigger disputes_stay before delete on disputes for each row execute function refuse_change();

alter table disputes enable row level security;
alter table disputes force row level security;
create policy keeper on disputes to skurrow_owner using (true) with check (true);
create policy own_site on disputes to skurrow_app using (site_id = current_site()) with check (site_id = current_site());
grant select, insert, update on disputes to skurrow_app;
-- migrate:down
