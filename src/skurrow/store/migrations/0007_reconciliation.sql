-- migrate:up

-- Each night the books are compared with each gateway's, a day at a time ------------------------------------------------

alter table connections add column compare_at timestamptz not null default now();
comment on column connections.compare_at is 'when the books are compared with this gateway''s next';
create index connections_to_compare on connections (compare_at) where replaced_at is null;

create table reconciliations (
  id uuid primary key,
  site_id uuid not null,
  mode text not null,
  connection_id uuid not null,
  since timestamptz not null,
  until timestamptz not null check (until > since),
  entries bigint not null check (entries >= 0),
  differences jsonb not null,
  at timestamptz not null,
  foreign key (site_id, mode, connection_id) references connections (site_id, mode, id)
);
create index reconciliations_newest on reconciliations (site_id, connection_id, id desc);
create trigger reconciliations_stay before update or delete on reconciliations
  for each row execute function refuse_change();

create function claim_comparisons(now timestamptz, most integer) returns table (site_id uuid, id uuid)
  language sql security definer set search_path = public, pg_temp as
$$ update connections set compare_at = now + interval '1 hour'
   where connections.id in (
     select c.id from connections c where c.replaced_at is null and c.compare_at <= now
     order by c.compare_at limit most for update skip locked)
   returning connections.site_id, connections.id $$;
revoke execute on function claim_comparisons(timestamptz, integer) from public;
grant execute on function claim_comparisons(timestamptz, integer) to skurrow_app;

alter table reconciliations enable row level security;
alter table reconciliations force row level security;
create policy keeper on reconciliations to skurrow_owner using (true) with check (true);
create policy own_site on reconciliations to skurrow_app
  using (site_id = current_site()) with check (site_id = current_site());
grant select, insert on reconciliations to skurrow_app;
create index charges_of_connection on charges (site_id, mode, connection_id, charged_at);
-- migrate:down
