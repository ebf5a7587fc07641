-- The tables of a parcel network over several countries, all made up. Every value follows from its row number.
-- :scale is the number of carriers in hundreds; scale 100 makes about six million parcels.
create table zones as
select cast(x as int) as zone_id, (array['Northern Isles', 'Eastern Plain', 'Southern Shore', 'Western Hills', 'Midlands'])[x] as name
from unnest(series(1, 5)) as r(x);

create table countries as
select cast(x as int) as country_id,
       (array['Arvia', 'Belmark', 'Corland', 'Dunmore', 'Elvany', 'Fjorden', 'Gallia Nova', 'Hestria', 'Istmar', 'Jovria', 'Kaldia', 'Lorenth', 'Morvan',
              'Nordal', 'Ostrava Minor', 'Pelland', 'Quenia', 'Rovenia', 'Sundmar', 'Tarvos', 'Ulmeria', 'Vestmark', 'Wolden', 'Xanthia', 'Yldor'])[x] as name,
       cast(1 + x % 5 as int) as zone_id
from unnest(series(1, 25)) as r(x);

create table carriers as
select cast(x as int) as carrier_id, 'Carrier ' || x as name, cast(1 + x * 2654435761 % 4294967296 / 11 % 25 as int) as country_id,
       cast(x * 2246822519 % 4294967296 / 13 % 1100000 as decimal(12, 2)) / 100 - 1000 as balance,
       case when x % 137 = 0 then 'customs complaints reported' when x % 5 = 0 then 'night line only' else 'regular partner' end as remark
from unnest(series(cast(1 as bigint), 100 * :scale)) as r(x);

create table shippers as
select cast(x as int) as shipper_id, 'Shipper ' || x as name, cast(1 + x * 3266489917 % 4294967296 / 7 % 25 as int) as country_id,
       (10 + x * 668265263 % 4294967296 / 17 % 25) || '-' || (100 + x % 900) || '-' || (1000 + x * 31 % 9000) as phone,
       cast(x * 374761393 % 4294967296 / 19 % 1100000 as decimal(12, 2)) / 100 - 1000 as balance,
       (array['bookshop', 'pharmacy', 'machinery', 'furniture', 'household'])[cast(1 + x * 2654435761 % 4294967296 / 23 % 5 as int)] as segment
from unnest(series(cast(1 as bigint), 1500 * :scale)) as r(x);

create table services as
select cast(x as int) as service_id,
       (array['gentle', 'rapid', 'plain', 'heavy', 'cooled'])[cast(1 + x * 2654435761 % 4294967296 / 29 % 5 as int)] || ' '
           || (array['letter', 'crate', 'pallet', 'satchel', 'drum'])[cast(1 + x * 2246822519 % 4294967296 / 31 % 5 as int)] as name,
       'house ' || (1 + x * 3266489917 % 4294967296 / 37 % 5) as house,
       (array['economy', 'standard', 'large', 'medium', 'promo', 'small'])[cast(1 + x * 668265263 % 4294967296 / 41 % 6 as int)] || ' '
           || (array['sealed', 'padded', 'wrapped', 'boxed', 'banded'])[cast(1 + x * 374761393 % 4294967296 / 43 % 5 as int)] || ' '
           || (array['paper', 'steel', 'nylon', 'brass', 'copper'])[cast(1 + x * 2654435761 % 4294967296 / 47 % 5 as int)] as kind,
       cast(1 + x * 2246822519 % 4294967296 / 53 % 50 as int) as size,
       cast(90000 + x % 200 * 100 + x / 10 % 20001 as decimal(12, 2)) / 100 as price
from unnest(series(cast(1 as bigint), 2000 * :scale)) as r(x);

create table offers as
select s.service_id, cast(1 + (s.service_id + n * (25 * :scale + s.service_id / (100 * :scale))) % (100 * :scale) as int) as carrier_id,
       cast(1 + cast(s.service_id as bigint) * 3266489917 % 4294967296 / (59 + n) % 9999 as int) as capacity,
       cast(100 + cast(s.service_id as bigint) * 668265263 % 4294967296 / (61 + n) % 99901 as decimal(12, 2)) / 100 as cost
from services s, unnest(series(0, 3)) as r(n);

create table consignments as
select cast(x as int) as consignment_id,
       cast(1 + x * 2654435761 % 4294967296 / 67 % (1500 * :scale - 3) as int) / 3 * 3 + 1 as shipper_id,
       date '2031-01-01' + cast(x * 2246822519 % 4294967296 / 71 % 2405 as int) as posted_on,
       (array['1 urgent', '2 high', '3 medium', '4 none', '5 low'])[cast(1 + x * 3266489917 % 4294967296 / 73 % 5 as int)] as urgency,
       case when x * 668265263 % 4294967296 / 79 % 100 = 7 then 'special requests of the shipper' else 'nothing to note' end as remark
from unnest(series(cast(1 as bigint), 15000 * :scale)) as r(x);

create table parcels as
select c.consignment_id, cast(n as int) as line, o.service_id, o.carrier_id, h.quantity, h.quantity * s.price as price,
       cast(h.k % 11 as decimal(4, 2)) / 100 as discount, cast(h.k / 11 % 9 as decimal(4, 2)) / 100 as duty,
       case when h.received_on > date '2035-06-17' then 'n' when h.k % 2 = 0 then 'r' else 'a' end as returned,
       case when h.sent_on > date '2035-06-17' then 'open' else 'final' end as state,
       h.sent_on, h.due_on, h.received_on,
       (array['by hand', 'by machine', 'return', 'none'])[cast(1 + h.k / 100 % 4 as int)] as handling,
       (array['air', 'rail', 'ship', 'truck', 'post', 'bike', 'courier'])[cast(1 + h.k / 400 % 7 as int)] as mode
from (select consignment_id, n, k, 1 + cast(k / 7 % 50 as int) as quantity,
             1 + (k / 3) % (2000 * :scale) as service_id, k % 4 as which,
             posted_on + cast(1 + k / 13 % 121 as int) as sent_on, posted_on + cast(30 + k / 17 % 61 as int) as due_on,
             posted_on + cast(1 + k / 13 % 121 as int) + cast(1 + k / 19 % 30 as int) as received_on
      from (select consignment_id, posted_on, n, (consignment_id * 7 + n) * 2654435761 % 4294967296 as k
            from consignments, unnest(series(1, 1 + cast(consignment_id as bigint) * 374761393 % 4294967296 / 83 % 7)) as r(n)) t) h
     join consignments c on c.consignment_id = h.consignment_id
     join services s on s.service_id = h.service_id
     join (select service_id, carrier_id, row_number() over (partition by service_id order by carrier_id) - 1 as which from offers) o
         on o.service_id = h.service_id and o.which = h.which;
