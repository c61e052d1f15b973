-- migrate:up

-- Delivery is a part of a site -----------------------------------------------------------------------------------

alter table part_revisions drop constraint part_revisions_kind_check;
alter table part_revisions add constraint part_revisions_kind_check
  check (kind in ('site', 'currencies', 'tax', 'delivery', 'product', 'coupon', 'checkout', 'stand_in_buyer'));

-- What the official look-up answered about tax numbers, the newest last ----------------------------------------------

create table tax_number_checks (
  id uuid primary key,
  site_id uuid not null references sites,
  number text not null check (number <> ''),
  answer text not null check (answer in ('valid', 'invalid', 'no_answer')),
  name text,
  reference text,
  at timestamptz not null
);
create index tax_number_checks_newest on tax_number_checks (site_id, number, id desc);

-- Papers: consecutive numbers per series and mode, given in the transaction that pays the order ----------------------

create table number_series (
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  series text not null check (series <> ''),
  last bigint not null default 0 check (last >= 0),
  primary key (site_id, mode, series)
);

create table papers (
  id uuid primary key,
  site_id uuid not null,
  mode text not null,
  series text not null,
  number bigint not null check (number > 0),
  kind text not null check (kind in ('invoice')),
  order_id uuid not null,
  issued_on date not null,
  document jsonb not null,
  at timestamptz not null,
  unique (site_id, mode, series, number),
  unique (site_id, mode, order_id, kind),
  foreign key (site_id, mode, series) references number_series,
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id)
);
create index papers_by_day on papers (site_id, mode, issued_on, id);

create trigger papers_stay before update or delete on papers
  for each row execute function refuse_change();
create trigger tax_number_checks_stay before update or delete on tax_number_checks
  for each row execute function refuse_change();

do $$
declare name text;
begin
  foreach name in array array['tax_number_checks', 'number_series', 'papers']
  loop
    execute format('alter table %I enable row level security', name);
    execute format('alter table %I force row level security', name);
    execute format('create policy keeper on %I to skurrow_owner using (true) with check (true)', name);
    execute format('create policy own_site on %I to skurrow_app using (site_id = current_site()) with check (site_id = current_site())', name);
  end loop;
end $$;

grant select, insert on tax_number_checks, papers to skurrow_app;
grant select, insert, update on number_series to skurrow_app;
-- migrate:down
