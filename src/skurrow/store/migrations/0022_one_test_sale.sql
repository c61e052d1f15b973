-- migrate:up

-- One test sale can be taken out of the test book with all that hangs on it. The gateway keeps its own record of it:
-- what was taken out is known by its keys, so that comparing books does not find it again.
create table taken_out (
  site_id uuid not null references sites,
  key text not null,
  at timestamptz not null,
  by uuid references people,
  primary key (site_id, key)
);
comment on table taken_out is 'charges, refunds and disputes of test sales that were taken out, as gateways know them';

alter table taken_out enable row level security;
alter table taken_out force row level security;
create policy keeper on taken_out to skurrow_owner using (true) with check (true);
create policy own_site on taken_out to skurrow_app
  using (site_id = current_site()) with check (site_id = current_site());
grant select on taken_out to skurrow_app;

create function take_out_test_orders(site uuid, ids uuid[], plans uuid[], at timestamptz, by uuid) returns bigint
  language plpgsql security definer set search_path = public, pg_temp as $$
declare taken bigint;
begin
  if site is distinct from current_site() then
    raise exception 'only the own site is cleared' using errcode = 'insufficient_privilege';
  end if;
  if exists (select from orders where id = any(ids) and (site_id <> site or mode <> 'test')) then
    raise exception 'only test sales are taken out' using errcode = 'insufficient_privilege';
  end if;
  perform set_config('skurrow.clearing', 'test', true);
  insert into taken_out (site_id, key, at, by)
    select site, found.key, take_out_test_orders.at, take_out_test_orders.by from (
      select id::text as key from attempts where site_id = site and order_id = any(ids)
      union select id::text from refunds where site_id = site and order_id = any(ids)
      union select gateway_reference from disputes where site_id = site and order_id = any(ids)
      union select gateway_reference from charges where site_id = site and order_id = any(ids)) found
    on conflict do nothing;
  delete from papers where site_id = site and mode = 'test' and order_id = any(ids);
  delete from refunds where site_id = site and mode = 'test' and order_id = any(ids);
  delete from credits where site_id = site and mode = 'test'
    and (order_id = any(ids) or subscription_id = any(plans));
  delete from disputes where site_id = site and mode = 'test' and order_id = any(ids);
  delete from events where site_id = site and mode = 'test' and order_id = any(ids);
  delete from transfers where site_id = site and mode = 'test' and order_id = any(ids);
  delete from reviews where site_id = site and mode = 'test' and order_id = any(ids);
  delete from charges where site_id = site and mode = 'test' and order_id = any(ids);
  delete from attempts where site_id = site and mode = 'test' and order_id = any(ids);
  delete from subscription_events where site_id = site and mode = 'test' and subscription_id = any(plans);
  update subscriptions set order_id = null, paid_order_id = null
    where site_id = site and mode = 'test' and id = any(plans);
  delete from orders where site_id = site and mode = 'test' and id = any(ids);
  get diagnostics taken = row_count;
  delete from subscriptions where site_id = site and mode = 'test' and id = any(plans);
  perform set_config('skurrow.clearing', '', true);
  return taken;
end $$;
revoke execute on function take_out_test_orders(uuid, uuid[], uuid[], timestamptz, uuid) from public;
grant execute on function take_out_test_orders(uuid, uuid[], uuid[], timestamptz, uuid) to skurrow_app;

-- migrate:down

drop function take_out_test_orders(uuid, uuid[], uuid[], timestamptz, uuid);
drop table taken_out;
