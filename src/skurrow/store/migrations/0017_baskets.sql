-- migrate:up

-- A buyer may take several things at once. What they have put together lies in a basket: a row that holds things and
-- nothing of a person. It ends with the order that it became.

create table baskets (
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  id uuid not null,
  items jsonb not null,
  order_id uuid references orders on delete cascade,
  changed_at timestamptz not null,
  primary key (site_id, mode, id)
);
create index baskets_oldest on baskets (site_id, mode, changed_at);
create index baskets_of_order on baskets (order_id) where order_id is not null;
comment on table baskets is 'what buyers have put together and not ordered yet';
comment on column baskets.order_id is 'the order that was made of it last; what it holds is out once it is paid or waits';

alter table baskets enable row level security;
alter table baskets force row level security;
create policy keeper on baskets to skurrow_owner using (true) with check (true);
create policy own_site on baskets to skurrow_app using (site_id = current_site()) with check (site_id = current_site());
grant select, insert, delete on baskets to skurrow_app;
grant update (items, order_id, changed_at) on baskets to skurrow_app;

-- migrate:down

drop table baskets;
