-- migrate:up

-- Delivery is a part of a site -----------------------------------------------------------------------------------

alter table part_revisions drop constraint part_revisions_kind_check;
alter table part_revisions add constraint part_revisions_kind_check
  check (kind in ('site', 'currencies', 'tax', 'delivery', 'product', 'coupon', 'checkout', 'stand_in_buyer'));

-- What the official look-up answered about tax numbers, the newest last ----------------------------------------------

create table tax_number_checks (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  number text not null check (number <> ''),
  answer text not null check (answer in ('valid', 'invalid', 'no_answer')),
  name text,
  reference text,
  at timestamptz not null
);
create index tax_number_checks_newest on tax_number_checks (site_id, mode, number, id desc);

create trigger tax_number_checks_stay before update or delete on tax_number_checks
  for each row execute function refuse_change();

do $$
declare name text;
begin
  foreach name in array array['tax_number_checks']
  loop
    execute format('alter table %I enable row level security', name);
    execute format('alter table %I force row level security', name);
    execute format('create policy keeper on %I to skurrow_owner using (true) with check (true)', name);
    execute format('create policy own_site on %I to skurrow_app using (site_id = current_site()) with check (site_id = current_site())', name);
  end loop;
end $$;

grant select, insert on tax_number_checks to skurrow_app;
-- migrate:down
