-- migrate:up

-- Stand-in buyers are parts of a site ---------------------------------------------------------------------------

alter table part_revisions drop constraint part_revisions_kind_check;
alter table part_revisions add constraint part_revisions_kind_check
  check (kind in ('site', 'currencies', 'tax', 'product', 'checkout', 'stand_in_buyer'));
create index part_revisions_by_change on part_revisions (site_id, change);

-- People: a second step, and sessions one can tell apart ----------------------------------------------------------

alter table people add column sealed_totp bytea;
alter table people add column totp_step bigint not null default 0;
comment on column people.sealed_totp is 'the key of the second step, sealed; null: there is none';
comment on column people.totp_step is 'the last time step that was used, so that a code counts once';

create table recovery_codes (
  person_id uuid not null references people,
  code_hash bytea not null,
  used_at timestamptz,
  primary key (person_id, code_hash)
);

alter table sessions add column id uuid not null default gen_random_uuid();
alter table sessions add column agent text not null default '';
alter table sessions add column seen_at timestamptz;
create unique index sessions_id on sessions (id);
create index sessions_of_person on sessions (person_id);

-- Members are invited -------------------------------------------------------------------------------------------

create table invitations (
  id uuid primary key,
  site_id uuid not null references sites,
  email text not null,
  role text not null check (role in ('developer', 'owner', 'onlooker')),
  token_hash bytea not null unique,
  created_at timestamptz not null,
  by uuid references people,
  expires_at timestamptz not null,
  ended_at timestamptz,
  end_kind text check (end_kind in ('accepted', 'withdrawn')),
  constraint ended_has_its_kind check ((ended_at is null) = (end_kind is null))
);
create unique index invitations_open on invitations (site_id, lower(email)) where ended_at is null;

-- Mail waits here until a worker has handed it over. The key keeps the same thing from being sent twice.
create table mails (
  id uuid primary key,
  site_id uuid not null references sites,
  key text not null,
  to_address text not null,
  subject text not null,
  sealed_text bytea not null,
  created_at timestamptz not null,
  send_at timestamptz not null,
  tries integer not null default 0,
  sent_at timestamptz,
  unique (site_id, key)
);
create index mails_to_send on mails (send_at) where sent_at is null;
comment on column mails.sealed_text is 'sealed: an invitation carries a token that opens a site';

do $$
declare name text;
begin
  foreach name in array array['invitations', 'mails']
  loop
    execute format('alter table %I enable row level security', name);
    execute format('alter table %I force row level security', name);
    execute format('create policy keeper on %I to skurrow_owner using (true) with check (true)', name);
    execute format('create policy own_site on %I to skurrow_app using (site_id = current_site()) with check (site_id = current_site())', name);
  end loop;
end $$;

grant select, insert, update on invitations, mails to skurrow_app;
grant select, insert, update, delete on recovery_codes to skurrow_app;
grant update on sessions to skurrow_app;
grant delete on members to skurrow_app;

-- Narrow functions ----------------------------------------------------------------------------------------------

create function invitation_site(token bytea) returns table (site_id uuid, id uuid)
  language sql stable security definer set search_path = public, pg_temp as
$$ select site_id, id from invitations where token_hash = token $$;

create function sites_with_names(person uuid) returns table (site_id uuid, code text, role text, name text)
  language sql stable security definer set search_path = public, pg_temp as
$$ select members.site_id, sites.code, members.role,
     coalesce((select body->>'name' from part_revisions newest
               where newest.site_id = sites.id and kind = 'site' order by change desc limit 1), sites.code)
   from members join sites on sites.id = members.site_id
   where members.person_id = person order by sites.code $$;

create function claim_mails(now timestamptz, most integer) returns table (site_id uuid, id uuid)
  language sql security definer set search_path = public, pg_temp as
$$ update mails set tries = mails.tries + 1,
     send_at = now + least(interval '1 hour', interval '10 seconds' * (2 ^ least(mails.tries, 12)))
   where mails.id in (
     select m.id from mails m where m.sent_at is null and m.send_at <= now
     order by m.send_at limit most for update skip locked)
   returning mails.site_id, mails.id $$;

-- What happens at a site is told to whoever listens: only what kind of thing, and which --------------------------

create function tell_listeners() returns trigger language plpgsql security definer set search_path = public, pg_temp as $$
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
  else
    told := jsonb_build_object('kind', 'people');
  end if;
  perform pg_notify('skurrow_sites',
    jsonb_build_object('site', coalesce(new.site_id, old.site_id), 'told', told)::text);
  return null;
end $$;

create trigger events_told after insert on events for each row execute function tell_listeners();
create trigger revisions_told after insert on part_revisions for each row execute function tell_listeners();
create trigger releases_told after insert on releases for each row execute function tell_listeners();
create trigger members_told after insert or update or delete on members for each row execute function tell_listeners();

revoke execute on function invitation_site(bytea), sites_with_names(uuid), claim_mails(timestamptz, integer),
  tell_listeners() from public;
grant execute on function invitation_site(bytea), sites_with_names(uuid), claim_mails(timestamptz, integer)
  to skurrow_app;
-- migrate:down
