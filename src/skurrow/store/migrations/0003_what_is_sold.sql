-- migrate:up

-- Coupons are parts of a site, and parts can be moved: a place between two others is always there ------------------

alter table part_revisions drop constraint part_revisions_kind_check;
alter table part_revisions add constraint part_revisions_kind_check
  check (kind in ('site', 'currencies', 'tax', 'product', 'coupon', 'checkout', 'stand_in_buyer'));
alter table part_revisions alter column position type double precision;

-- The text of a site file as it was applied, so that it can be written back byte for byte.
create table site_texts (
  site_id uuid not null references sites,
  change bigint not null check (change > 0),
  text text not null,
  primary key (site_id, change)
);

-- What an order is for ----------------------------------------------------------------------------------------------

alter table orders add column wanted jsonb not null default '{}';
comment on column orders.wanted is 'the items and coupons that the buyer chose, as the quote was asked for them';

-- Stock: what is left, and what orders hold of it --------------------------------------------------------------------

create table stock_levels (
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  product_id text not null,
  variant_id text not null default '',
  remaining bigint not null check (remaining >= 0),
  primary key (site_id, mode, product_id, variant_id)
);
comment on column stock_levels.variant_id is 'empty: the product has one stock for all its variants';

-- Held while an order is being paid, sold when it is; given back (the row goes) when the attempt surely failed.
create table stock_holds (
  site_id uuid not null,
  mode text not null,
  order_id uuid not null,
  product_id text not null,
  variant_id text not null,
  quantity bigint not null check (quantity > 0),
  state text not null default 'held' check (state in ('held', 'sold')),
  primary key (site_id, mode, order_id, product_id, variant_id),
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id),
  foreign key (site_id, mode, product_id, variant_id) references stock_levels
);

create table stock_counts (
  id uuid primary key,
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  product_id text not null,
  variant_id text not null,
  before bigint not null,
  after bigint not null check (after >= 0),
  at timestamptz not null,
  by uuid references people
);
create index stock_counts_of_product on stock_counts (site_id, mode, product_id, id);

-- Coupons: how often each was taken, in all (customer empty) and by each customer, and by which orders ----------------

create table coupon_counts (
  site_id uuid not null references sites,
  mode text not null check (mode in ('test', 'live')),
  coupon_id text not null,
  customer text not null default '',
  taken bigint not null default 0 check (taken >= 0),
  primary key (site_id, mode, coupon_id, customer)
);

create table coupon_uses (
  site_id uuid not null,
  mode text not null,
  order_id uuid not null,
  coupon_id text not null,
  customer text not null,
  state text not null default 'held' check (state in ('held', 'used')),
  primary key (site_id, mode, order_id, coupon_id),
  foreign key (site_id, mode, order_id) references orders (site_id, mode, id)
);

-- Pictures, under a name that never means another ---------------------------------------------------------------------

create table pictures (
  site_id uuid not null references sites,
  name text not null,
  sha256 bytea not null,
  width integer not null check (width > 0),
  height integer not null check (height > 0),
  content bytea not null,
  at timestamptz not null,
  by uuid references people,
  primary key (site_id, name)
);

create trigger pictures_stay before update or delete on pictures
  for each row execute function refuse_change();
create trigger site_texts_stay before update or delete on site_texts
  for each row execute function refuse_change();
create trigger stock_counts_stay before update or delete on stock_counts
  for each row execute function refuse_change();

do $$
declare name text;
begin
  foreach name in array array['site_texts', 'stock_levels', 'stock_holds', 'stock_counts', 'coupon_counts',
    'coupon_uses', 'pictures']
  loop
    execute format('alter table %I enable row level security', name);
    execute format('alter table %I force row level security', name);
    execute format('create policy keeper on %I to skurrow_owner using (true) with check (true)', name);
    execute format('create policy own_site on %I to skurrow_app using (site_id = current_site()) with check (site_id = current_site())', name);
  end loop;
end $$;

grant select, insert on site_texts, pictures, stock_counts to skurrow_app;
grant select, insert, update on stock_levels, coupon_counts to skurrow_app;
grant select, insert, update, delete on stock_holds, coupon_uses to skurrow_app;

-- Which site the command line means: the one of a code or, where there is only one, that ----------------------------

create function site_called(code text) returns uuid
  language sql stable security definer set search_path = public, pg_temp as
$$ select id from sites where sites.code = site_called.code $$;

create function only_site() returns uuid
  language sql stable security definer set search_path = public, pg_temp as
$$ select min(id::text)::uuid from sites having count(*) = 1 $$;

revoke execute on function site_called(text), only_site() from public;
grant execute on function site_called(text), only_site() to skurrow_app;
-- migrate:down
