-- What lines moved follows from them, and is kept with all else that does: nothing of it is carried over.
DROP VIEW IF EXISTS flow_now;
DROP TABLE IF EXISTS reach;
DROP TABLE IF EXISTS called_off;
DROP TABLE IF EXISTS flow_share;
DROP TABLE IF EXISTS stock;
DROP TABLE IF EXISTS lot_woodlot;
DROP TABLE IF EXISTS lot_now;
DROP TABLE flow;
DROP TABLE parcel;
