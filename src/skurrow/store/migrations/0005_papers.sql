-- migrate:up

-- Papers are a part of a site ------------------------------------------------------------------------------------

alter table part_revisions drop constraint part_revisions_kind_check;
alter table part_revisions add constraint part_revisions_kind_check
  check (kind in ('site', 'currencies', 'tax', 'delivery', 'papers', 'product', 'coupon', 'checkout',
    'stand_in_buyer'));

-- Invoices and receipts, with consecutive numbers -----------------------------------------------------------------

-- The last number of a series. Its row is locked until the transaction ends that takes the next one, so that a number
-- whose transaction fails is taken by the one that waits: there is no gap, and no number twice.
create table number_series (
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  series text not null,
  last bigint not null check (last > 0),
  primary key (site_id, mode, series)
);

create table papers (
  id uuid primary key,
  site_id uuid not null,
  mode text not null,
  series text not null,
  number bigint not null check (number > 0),
  kind text not null check (kind in ('invoice', 'receipt')),
  order_id uuid not null,
  written text not null,
  document jsonb not null,
  issued_on date not null,
  at timestamptz not null,
  unique (site_id, mode, series, number),
  unique (site_id, mode, written),
  foreign key (site_id, mode, series) references number_series,
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id)
);
create unique index papers_one_an_order on papers (site_id, mode, order_id);
comment on column papers.written is 'the number in full, as it stands on the paper';

-- A number is only ever the next one, and a paper has the number that was just taken.
create function refuse_gap() returns trigger language plpgsql as $$
begin
  if tg_op = 'UPDATE' and new.last <> old.last + 1 or tg_op = 'INSERT' and new.last <> 1 then
    raise exception 'series % goes on with its next number', new.series using errcode = 'integrity_constraint_violation';
  end if;
  return new;
end $$;
create trigger number_series_without_gap before insert or update on number_series
  for each row execute function refuse_gap();

create function refuse_other_number() returns trigger language plpgsql as $$
begin
  if new.number is distinct from (select last from number_series s
      where s.site_id = new.site_id and s.mode = new.mode and s.series = new.series) then
    raise exception 'a paper takes the next number of its series' using errcode = 'integrity_constraint_violation';
  end if;
  return new;
end $$;
create trigger papers_take_the_next before insert on papers
  for each row execute function refuse_other_number();
create trigger papers_stay before update or delete on papers
  for each row execute function refuse_change();

create index tax_number_checks_lately on tax_number_checks (site_id, mode, at);

-- Official exchange rates, as a bank publishes them: the same for every site -----------------------------------------

create table official_rates (
  source text not null,
  currency text not null check (currency ~ '^[A-Z]{3}$'),
  day date not null,
  rate numeric not null check (rate > 0),
  primary key (source, currency, day)
);
comment on column official_rates.rate is 'units of the currency for one euro';
create trigger official_rates_stay before update or delete on official_rates
  for each row execute function refuse_change();

do $$
declare name text;
begin
  foreach name in array array['number_series', 'papers']
  loop
    execute format('alter table %I enable row level security', name);
    execute format('alter table %I force row level security', name);
    execute format('create policy keeper on %I to skurrow_owner using (true) with check (true)', name);
    execute format('create policy own_site on %I to skurrow_app using (site_id = current_site()) with check (site_id = current_site())', name);
  end loop;
end $$;

grant select, insert, update on number_series to skurrow_app;
grant select, insert on papers, official_rates to skurrow_app;
-- migrate:down
