-- migrate:up

-- Test data can be cleared at one stroke; live data never.

create table clearings (
  id uuid primary key,
  site_id uuid not null references sites,
  orders bigint not null,
  at timestamptz not null,
  by uuid references people
);
create index clearings_newest on clearings (site_id, id desc);
comment on table clearings is 'when the test book was cleared, by whom, and how many orders were in it';

alter table clearings enable row level security;
alter table clearings force row level security;
create policy keeper on clearings to skurrow_owner using (true) with check (true);
create policy own_site on clearings to skurrow_app using (site_id = current_site()) with check (site_id = current_site());
grant select, insert on clearings to skurrow_app;
create trigger clearings_stay before update or delete on clearings
  for each row execute function refuse_change();

-- What keeps what was written lets go of test data while it is cleared. The application has no right to delete these
-- rows; the function below has.
create or replace function refuse_change() returns trigger language plpgsql as $$
begin
  if tg_op = 'DELETE' and current_setting('skurrow.clearing', true) = 'test' and to_jsonb(old) ->> 'mode' = 'test' then
    return old;
  end if;
  raise exception '% keeps what was written: no % allowed', tg_table_name, lower(tg_op)
    using errcode = 'integrity_constraint_violation';
end $$;

create function clear_test_data(site uuid) returns bigint
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
revoke execute on function clear_test_data(uuid) from public;
grant execute on function clear_test_data(uuid) to skurrow_app;
-- migrate:down
