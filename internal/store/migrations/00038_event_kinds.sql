-- +goose Up
-- Kinds of events and notices have the names that people read; each is one of casework's.
create temporary table renamed (was text primary key, is_now text not null) on commit drop;
insert into renamed values ('released', 'returned'), ('peace ended', 'snooze ended'), ('fault mended', 'data issue fixed'), ('went up', 'escalated'),
    ('took a file away', 'file removed'), ('to do', 'to-do added'), ('done', 'to-do done'), ('not done', 'to-do reopened'), ('took a to-do away', 'to-do removed');
update case_events e set what = r.is_now from renamed r where e.what = r.was;
update notices n set what = r.is_now from renamed r where n.what = r.was;
update notices set what = 'mentioned' where what = 'named';
update notices set what = 'data issue' where what = 'data fault';

-- +goose Down
create temporary table renamed (was text primary key, is_now text not null) on commit drop;
insert into renamed values ('released', 'returned'), ('peace ended', 'snooze ended'), ('fault mended', 'data issue fixed'), ('went up', 'escalated'),
    ('took a file away', 'file removed'), ('to do', 'to-do added'), ('done', 'to-do done'), ('not done', 'to-do reopened'), ('took a to-do away', 'to-do removed');
update case_events e set what = r.was from renamed r where e.what = r.is_now;
update notices n set what = r.was from renamed r where n.what = r.is_now;
update notices set what = 'named' where what = 'mentioned';
update notices set what = 'data fault' where what = 'data issue';
