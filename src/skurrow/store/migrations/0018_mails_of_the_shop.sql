-- migrate:up

-- What owners say in mails is a part of the configuration; a mail's page shows pictures, by their names.
alter table part_revisions drop constraint part_revisions_kind_check;
alter table part_revisions add constraint part_revisions_kind_check
  check (kind in ('site', 'currencies', 'tax', 'delivery', 'papers', 'mails', 'payments', 'subscriptions', 'product',
    'coupon', 'checkout', 'stand_in_buyer'));
alter table mails add column pictures text[] not null default '{}';

-- migrate:down

alter table mails drop column pictures;
alter table part_revisions drop constraint part_revisions_kind_check;
alter table part_revisions add constraint part_revisions_kind_check
  check (kind in ('site', 'currencies', 'tax', 'delivery', 'papers', 'payments', 'subscriptions', 'product', 'coupon',
    'checkout', 'stand_in_buyer'));
