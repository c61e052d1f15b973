-- migrate:up

-- Every sale sends its buyer a mail, with its papers attached. A mail names the papers, or the order whose invoice or
-- receipt is given out with it; they are drawn when it is sent, so that no file lies in the database. Whoever answers it
-- reaches the seller.

alter table mails add column papers uuid[] not null default '{}';
alter table mails add column papers_of uuid;
alter table mails add column reply_to text not null default '';
comment on column mails.papers is 'attached to it, in this order; one that is gone by then is left out';
comment on column mails.papers_of is 'the order whose invoice or receipt is attached, too, where it has one by then';

-- migrate:down
