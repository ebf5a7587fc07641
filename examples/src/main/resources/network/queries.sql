-- name: what was handled, by return and state
select returned, state, sum(quantity) as pieces, sum(price) as base, sum(price * (1 - discount)) as reduced,
       sum(price * (1 - discount) * (1 + duty)) as charged, avg(quantity) as mean_pieces, avg(price) as mean_price, avg(discount) as mean_discount, count(*) as parcels
from parcels where sent_on <= date '2037-06-01' group by returned, state order by returned, state;
-- name: the cheapest carrier of a zone for a kind of service
select c.balance, c.name, n.name as country, s.service_id, s.house
from services s, carriers c, offers o, countries n, zones z
where s.service_id = o.service_id and c.carrier_id = o.carrier_id and s.size = 15 and s.kind like '%brass' and c.country_id = n.country_id
  and n.zone_id = z.zone_id and z.name = 'Western Hills'
  and o.cost = (select min(o2.cost) from offers o2, carriers c2, countries n2, zones z2
                where s.service_id = o2.service_id and c2.carrier_id = o2.carrier_id and c2.country_id = n2.country_id and n2.zone_id = z2.zone_id and z2.name = 'Western Hills')
order by c.balance desc, n.name, c.name, s.service_id limit 100;
-- name: the most valuable consignments that are not sent yet
select p.consignment_id, sum(p.price * (1 - p.discount)) as value, c.posted_on
from shippers s, consignments c, parcels p
where s.segment = 'bookshop' and s.shipper_id = c.shipper_id and p.consignment_id = c.consignment_id and c.posted_on < date '2034-03-15' and p.sent_on > date '2034-03-15'
group by p.consignment_id, c.posted_on order by value desc, c.posted_on, p.consignment_id limit 10;
-- name: urgencies of consignments with late parcels
select urgency, count(*) as consignments from consignments c
where posted_on >= date '2033-07-01' and posted_on < date '2033-07-01' + interval '3' month
  and exists (select * from parcels p where p.consignment_id = c.consignment_id and p.due_on < p.received_on)
group by urgency order by urgency;
-- name: value carried within a country of a zone
select n.name, sum(p.price * (1 - p.discount)) as value
from shippers s, consignments c, parcels p, carriers r, countries n, zones z
where s.shipper_id = c.shipper_id and p.consignment_id = c.consignment_id and p.carrier_id = r.carrier_id and s.country_id = r.country_id
  and r.country_id = n.country_id and n.zone_id = z.zone_id and z.name = 'Eastern Plain' and c.posted_on >= date '2034-01-01' and c.posted_on < date '2035-01-01'
group by n.name order by value desc;
-- name: what a smaller discount would have earned
select sum(price * discount) as earned from parcels
where sent_on >= date '2034-01-01' and sent_on < date '2034-01-01' + interval '1' year and discount between 0.05 and 0.07 and quantity < 24;
-- name: value between two countries by year
select from_country, to_country, year, sum(volume) as value
from (select n1.name as from_country, n2.name as to_country, extract(year from p.sent_on) as year, p.price * (1 - p.discount) as volume
      from carriers r, parcels p, consignments c, shippers s, countries n1, countries n2
      where r.carrier_id = p.carrier_id and c.consignment_id = p.consignment_id and s.shipper_id = c.shipper_id and r.country_id = n1.country_id and s.country_id = n2.country_id
        and (n1.name = 'Arvia' and n2.name = 'Belmark' or n1.name = 'Belmark' and n2.name = 'Arvia') and p.sent_on between date '2033-01-01' and date '2034-12-31') t
group by from_country, to_country, year order by from_country, to_country, year;
-- name: the share of a country in the market of its zone
select year, sum(case when country = 'Corland' then volume else 0 end) / sum(volume) as share
from (select extract(year from c.posted_on) as year, p.price * (1 - p.discount) as volume, n2.name as country
      from services s, carriers r, parcels p, consignments c, shippers h, countries n1, countries n2, zones z
      where s.service_id = p.service_id and r.carrier_id = p.carrier_id and p.consignment_id = c.consignment_id and c.shipper_id = h.shipper_id and h.country_id = n1.country_id
        and n1.zone_id = z.zone_id and z.name = 'Western Hills' and r.country_id = n2.country_id and c.posted_on between date '2033-01-01' and date '2034-12-31' and s.kind = 'economy padded steel') t
group by year order by year;
-- name: profit by country and year of services with a word in their name
select country, year, sum(amount) as profit
from (select n.name as country, extract(year from c.posted_on) as year, p.price * (1 - p.discount) - o.cost * p.quantity as amount
      from services s, carriers r, parcels p, offers o, consignments c, countries n
      where r.carrier_id = p.carrier_id and o.carrier_id = p.carrier_id and o.service_id = p.service_id and s.service_id = p.service_id and c.consignment_id = p.consignment_id
        and r.country_id = n.country_id and s.name like '%cooled%') t
group by country, year order by country, year desc;
-- name: shippers who lost most by returns
select s.shipper_id, s.name, sum(p.price * (1 - p.discount)) as lost, s.balance, n.name as country, s.phone
from shippers s, consignments c, parcels p, countries n
where s.shipper_id = c.shipper_id and p.consignment_id = c.consignment_id and c.posted_on >= date '2033-10-01' and c.posted_on < date '2033-10-01' + interval '3' month
  and p.returned = 'r' and s.country_id = n.country_id
group by s.shipper_id, s.name, s.balance, s.phone, n.name order by lost desc, s.shipper_id limit 20;
-- name: services that make up a share of the capacity of a country
select o.service_id, sum(o.cost * o.capacity) as value from offers o, carriers r, countries n
where o.carrier_id = r.carrier_id and r.country_id = n.country_id and n.name = 'Dunmore'
group by o.service_id
having sum(o.cost * o.capacity) > (select sum(o.cost * o.capacity) * 0.0001 from offers o, carriers r, countries n where o.carrier_id = r.carrier_id and r.country_id = n.country_id and n.name = 'Dunmore')
order by value desc, o.service_id;
-- name: whether slow modes delay urgent consignments
select p.mode, sum(case when c.urgency in ('1 urgent', '2 high') then 1 else 0 end) as pressing, sum(case when c.urgency not in ('1 urgent', '2 high') then 1 else 0 end) as others
from consignments c, parcels p
where c.consignment_id = p.consignment_id and p.mode in ('post', 'ship') and p.due_on < p.received_on and p.sent_on < p.due_on and p.received_on >= date '2034-01-01' and p.received_on < date '2035-01-01'
group by p.mode order by p.mode;
-- name: how many shippers have how many consignments
select consignments, count(*) as shippers
from (select s.shipper_id, count(c.consignment_id) as consignments from shippers s left join consignments c on s.shipper_id = c.shipper_id and c.remark not like '%special%requests%' group by s.shipper_id) t
group by consignments order by shippers desc, consignments desc;
-- name: the share of promotions in a month
select 100.00 * sum(case when s.kind like 'promo%' then p.price * (1 - p.discount) else 0 end) / sum(p.price * (1 - p.discount)) as share
from parcels p, services s where p.service_id = s.service_id and p.sent_on >= date '2034-09-01' and p.sent_on < date '2034-10-01';
-- name: the carrier with the highest revenue in a quarter
with revenue as (select carrier_id, sum(price * (1 - discount)) as total from parcels where sent_on >= date '2034-01-01' and sent_on < date '2034-04-01' group by carrier_id)
select r.carrier_id, r.name, total from carriers r, revenue where r.carrier_id = revenue.carrier_id and total = (select max(total) from revenue) order by r.carrier_id;
-- name: carriers of services without complaints
select s.house, s.kind, s.size, count(distinct o.carrier_id) as carriers from offers o, services s
where s.service_id = o.service_id and s.house <> 'house 4' and s.kind not like 'medium padded%' and s.size in (49, 14, 23, 45, 19, 3, 36, 9)
  and o.carrier_id not in (select carrier_id from carriers where remark like '%customs%complaints%')
group by s.house, s.kind, s.size order by carriers desc, s.house, s.kind, s.size;
-- name: what would be lost without small parcels
select sum(p.price) / 7.0 as yearly from parcels p, services s
where s.service_id = p.service_id and s.house = 'house 2' and s.name like '%crate' and p.quantity < (select 0.2 * avg(p2.quantity) from parcels p2 where p2.service_id = s.service_id);
-- name: shippers of very large consignments
select s.name, s.shipper_id, c.consignment_id, c.posted_on, sum(p.quantity) as pieces from shippers s, consignments c, parcels p
where c.consignment_id in (select consignment_id from parcels group by consignment_id having sum(quantity) > 230) and s.shipper_id = c.shipper_id and c.consignment_id = p.consignment_id
group by s.name, s.shipper_id, c.consignment_id, c.posted_on order by pieces desc, c.posted_on, c.consignment_id limit 100;
-- name: value of hand-carried parcels of three sorts
select sum(p.price * (1 - p.discount)) as value from parcels p, services s
where s.service_id = p.service_id and p.mode in ('air', 'courier') and p.handling = 'by hand'
  and (s.house = 'house 1' and s.kind like '%paper' and p.quantity between 1 and 11 and s.size between 1 and 15
       or s.house = 'house 2' and s.kind like '%steel' and p.quantity between 10 and 20 and s.size between 1 and 30
       or s.house = 'house 3' and s.kind like '%nylon' and p.quantity between 20 and 30 and s.size between 1 and 45);
-- name: carriers that could take more of a service
select r.name from carriers r, countries n
where r.carrier_id in (select o.carrier_id from offers o
                       where o.service_id in (select service_id from services where name like 'gentle%')
                         and o.capacity > (select 0.5 * sum(p.quantity) from parcels p where p.service_id = o.service_id and p.carrier_id = o.carrier_id and p.sent_on >= date '2034-01-01' and p.sent_on < date '2035-01-01'))
  and r.country_id = n.country_id and n.name = 'Elvany' order by r.name;
-- name: carriers that alone kept a consignment waiting
select r.name, count(*) as waits from carriers r, parcels p1, consignments c, countries n
where r.carrier_id = p1.carrier_id and c.consignment_id = p1.consignment_id and p1.received_on > p1.due_on and c.urgency = '1 urgent'
  and exists (select * from parcels p2 where p2.consignment_id = p1.consignment_id and p2.carrier_id <> p1.carrier_id)
  and not exists (select * from parcels p3 where p3.consignment_id = p1.consignment_id and p3.carrier_id <> p1.carrier_id and p3.received_on > p3.due_on)
  and r.country_id = n.country_id and n.name = 'Fjorden'
group by r.name order by waits desc, r.name limit 100;
-- name: idle shippers with a good balance
select code, count(*) as shippers, sum(balance) as total
from (select substring(phone from 1 for 2) as code, balance from shippers s
      where substring(phone from 1 for 2) in ('13', '31', '23', '29', '30', '18', '17')
        and balance > (select avg(balance) from shippers where balance > 0.00 and substring(phone from 1 for 2) in ('13', '31', '23', '29', '30', '18', '17'))
        and not exists (select * from consignments c where c.shipper_id = s.shipper_id)) t
group by code order by code;
