SET statement_timeout = 0;
SET lock_timeout = 0;
SET idle_in_transaction_session_timeout = 0;
SET client_encoding = 'UTF8';
SET standard_conforming_strings = on;
SELECT pg_catalog.set_config('search_path', '', false);
SET check_function_bodies = false;
SET xmloption = content;
SET client_min_messages = warning;
SET row_security = off;
CREATE SCHEMA frank;
SET default_tablespace = '';
SET default_table_access_method = heap;
CREATE TABLE frank.about (
    one integer NOT NULL,
    version integer NOT NULL,
    CONSTRAINT about_one_check CHECK ((one = 1))
);
CREATE TABLE frank.band (
    place bigint NOT NULL,
    record bigint NOT NULL,
    layer boolean NOT NULL,
    n bigint NOT NULL,
    stored bigint NOT NULL,
    packed bytea NOT NULL
);
CREATE TABLE frank.band_part (
    place bigint NOT NULL,
    record bigint NOT NULL,
    layer boolean NOT NULL,
    n bigint NOT NULL,
    part integer NOT NULL,
    content bytea NOT NULL
);
CREATE TABLE frank.counter (
    name text NOT NULL,
    last bigint NOT NULL
);
CREATE TABLE frank.mismatch (
    place bigint NOT NULL,
    way bytea NOT NULL,
    record bigint NOT NULL,
    found bigint NOT NULL,
    algorithm text NOT NULL,
    before bytea NOT NULL,
    now bytea NOT NULL
);
CREATE TABLE frank.place (
    id bigint NOT NULL,
    host text NOT NULL,
    path bytea NOT NULL
);
CREATE TABLE frank.problem (
    place bigint NOT NULL,
    record bigint NOT NULL,
    n bigint NOT NULL,
    way bytea NOT NULL,
    tried bytea NOT NULL,
    reason bytea NOT NULL,
    entries bigint NOT NULL,
    vanished boolean NOT NULL
);
CREATE TABLE frank.record (
    place bigint NOT NULL,
    number bigint NOT NULL,
    token bytea NOT NULL,
    label bytea NOT NULL,
    taken bigint NOT NULL,
    note bytea NOT NULL,
    terms bytea NOT NULL,
    algorithm text NOT NULL,
    entries bigint NOT NULL,
    bytes bigint NOT NULL,
    unsized bigint NOT NULL,
    looked bigint,
    hidden bigint,
    problems bigint NOT NULL,
    seal bytea NOT NULL,
    self bytea NOT NULL,
    sum bytea
);
CREATE TABLE frank.reread (
    place bigint NOT NULL,
    n bigint NOT NULL,
    taken bigint NOT NULL,
    first bigint NOT NULL,
    next bigint NOT NULL,
    whole boolean NOT NULL,
    files bigint NOT NULL,
    bytes bigint NOT NULL
);
CREATE TABLE frank.sheet (
    place bigint NOT NULL,
    record bigint NOT NULL,
    layer boolean NOT NULL,
    n bigint NOT NULL,
    folders bytea NOT NULL,
    names bytea NOT NULL,
    facts bytea NOT NULL
);
CREATE TABLE frank.stamp (
    place bigint NOT NULL,
    record bigint NOT NULL,
    folders bytea NOT NULL
);
CREATE TABLE frank.volume (
    place bigint NOT NULL,
    id text NOT NULL,
    device bigint NOT NULL
);
INSERT INTO frank.about VALUES (1, 1);
INSERT INTO frank.band VALUES (1, 1, false, 0, 434, '\x4080808020010103');
INSERT INTO frank.band VALUES (1, 2, false, 0, 332, '\x4080808040000102');
INSERT INTO frank.band VALUES (2, 3, false, 0, 230, '\x4080808060010101');
INSERT INTO frank.band VALUES (3, 4, false, 0, 575, '\x80018080808001010103');
INSERT INTO frank.band VALUES (3, 5, false, 0, 256, '\x40808080a001000102');
INSERT INTO frank.band VALUES (4, 6, false, 0, 231, '\x40808080c001010101');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 0, '\x0200000002000000');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 1, '\x0034000000340000');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 2, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 3, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 4, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 5, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 6, '\x');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 8, '\x000000e82467ac460100000000b0924835bb0100');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 9, '\x81ba980f7df8cd460100');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 10, '\x');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 11, '\x');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 12, '\x');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 13, '\x');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 14, '\x361f2738efe8adcb0100');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 15, '\x');
INSERT INTO frank.band_part VALUES (1, 1, false, 0, 16, '\x00000000010100000000000001000100000100010000000000000000000000010000000100000000000000000101010101000000000001000001000001000100');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 0, '\x0200000002000000');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 1, '\x0034000000340000');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 2, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 3, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 4, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 5, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 6, '\x01000200');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 8, '\x000000e82467ac460100000000b0924835bb0100');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 9, '\x81ba980f7df8cd460100');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 10, '\x');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 11, '\x');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 12, '\x');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 13, '\x');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 14, '\x361f2738efe8adcb0100');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 15, '\x');
INSERT INTO frank.band_part VALUES (1, 2, false, 0, 16, '\x00000000010000000000000000000000000000010000000000000000000001010000000101000001000000000101000001000001000000000001000000000100');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 0, '\x0200000002000000');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 1, '\x0034000000340000');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 2, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 3, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 4, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 5, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 6, '\x');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 8, '\x000000e82467ac460100000000b0924835bb0100');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 9, '\x');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 10, '\x');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 11, '\x');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 12, '\x');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 13, '\x');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 14, '\x361f2738efe8adcb0100');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 15, '\x');
INSERT INTO frank.band_part VALUES (2, 3, false, 0, 16, '\x00000000000100000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 0, '\x0200000002000000');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 1, '\x0034000000340000');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 2, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 3, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 4, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 5, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 6, '\x');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 8, '\x000000e82467ac460100000000b0924835bb0100');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 9, '\x81ba980f7df8cd460100');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 10, '\x');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 11, '\x');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 12, '\x');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 13, '\x');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 14, '\x361f2738efe8adcb0100');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 15, '\x');
INSERT INTO frank.band_part VALUES (3, 4, false, 0, 16, '\x0000000000010000000100000100010000010001000000000000000000000000000000000000000100000000010101000100000000000000010100000100000001000000010000000000000000000000000000000000000000000000000001010000000101000000000000000100010100000001000001000001000000000100');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 0, '\x0400000004000000');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 1, '\x0034000000340000');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 2, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 3, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 4, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 5, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 6, '\x0300');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 8, '\x000000e82467ac460100000000b0924835bb0100');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 9, '\x');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 10, '\x');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 11, '\x');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 12, '\x');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 13, '\x');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 14, '\x361f2738efe8adcb0100');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 15, '\x');
INSERT INTO frank.band_part VALUES (3, 5, false, 0, 16, '\x00000000000000000000000000000000000000000000000000000000000001000000000001000001000000000000000000000001000000000000000000000000');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 0, '\x0200000002000000');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 1, '\x0034000000340000');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 2, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 3, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 4, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 5, '\x22c21a8022c21a80');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 6, '\x');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 8, '\x000000e82467ac460100000000b0924835bb0100');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 9, '\x');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 10, '\x');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 11, '\x');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 12, '\x');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 13, '\x');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 14, '\x361f2738efe8adcb0100');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 15, '\x');
INSERT INTO frank.band_part VALUES (4, 6, false, 0, 16, '\x00000000000100000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000000');
INSERT INTO frank.counter VALUES ('place', 4);
INSERT INTO frank.counter VALUES ('record', 6);
INSERT INTO frank.place VALUES (1, 'gull', '\x2f746d702f763174');
INSERT INTO frank.place VALUES (2, 'gull', '\x2f746d702f7631742f6c6f6773');
INSERT INTO frank.place VALUES (3, 'heron', '\x2f746d702f763174');
INSERT INTO frank.place VALUES (4, 'heron', '\x2f746d702f7631742f6c6f6773');
INSERT INTO frank.record VALUES (1, 1, '\xc9a08cf2233475b670c77b84f1947b78', '\x6e6f746573', 1795721308312399507, '\x', '\x5b5d', '', 4, 4, 0, 4, 0, 0, '\x5704ffb3dcb504340e015ae6f8f6929f', '\x030000126380fc03ed0304d4b8bd0b804010b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e01', '\x65847fab246bf4444cdb4e66b64d78e5');
INSERT INTO frank.record VALUES (1, 2, '\x6210fdcd419208c787016f6e2b17e684', '\x6e6f746573', 1795721308335632880, '\x', '\x5b5d', '', 5, 6, 0, 5, 0, 0, '\xb30d25369706316d0d174ef7ec1b132e', '\x030000126380fc03ed0304d4b8bd0b804010b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e01', '\xab77acc95e3e991522e1211592289f50');
INSERT INTO frank.record VALUES (2, 3, '\x21184c1323d8f2ff2116f71b5c1206ee', '\x6c6f6773', 1795721308360213985, '\x', '\x5b5d', '', 1, 2, 0, 1, 0, 0, '\xcee0f0a99e4bcca2f693a3ee20e4c86b', '\x030000126380fc03ed0302d2b8c20b804010b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e01', '\x76afd2422bece25b7a48dfe19b0d8e7b');
INSERT INTO frank.record VALUES (3, 4, '\x434a755a243d154e438b4aeffcfb478e', '\x6e6f746573', 1795721308389937478, '\x', '\x5b5d', '', 6, 8, 0, 6, 0, 0, '\x441c0ca65c67274a96508d980ced041b', '\x030000126380fc03ed0304d4b8bd0b804010b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e01', '\xc5b32e6c5f6f751c78f890b0e3325eaf');
INSERT INTO frank.record VALUES (3, 5, '\x3b4018c1147891d00fe67b284bdcf185', '\x6e6f746573', 1795721308414902016, '\x', '\x5b5d', '', 6, 10, 0, 6, 0, 0, '\x2756605121fb39d7cb007d3dfcdb31d0', '\x030000126380fc03ed0304d4b8bd0b804010b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e01', '\x19492fb269139158e3e24649bb610141');
INSERT INTO frank.record VALUES (4, 6, '\x361bdc1a4a65d26e8d2fc5d19180210b', '\x6c6f6773', 1795721308436014262, '\x', '\x5b5d', '', 1, 2, 0, 1, 0, 0, '\xcee0f0a99e4bcca2f693a3ee20e4c86b', '\x030000126380fc03ed0302d2b8c20b804010b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e01', '\x926e229566cf76706d269372822348ab');
INSERT INTO frank.sheet VALUES (1, 1, false, 0, '\x03010000125cb6894e07d47b75e60d85360789cbbc765704ffb3dcb504340e015ae6f8f6929f030201046c6f67730426e1abb0d2ea04afe65fa55e9462402a20cee0f0a99e4bcca2f693a3ee20e4c86b030301046d61707300001ad48f49627079d806b802c74f40c39df839ab5f314e6bc7449be79065899a7c', '\x0001610100046c6f67731200046d6170731200016201', '\x7380fc03a403dab8bd0b0410b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e0167ed0302f8ff0480401000e9afa48e0100e9afa48e0100e9afa48e016f0280800280401000e9afa48e0100e9afa48e0100e9afa48e017380fc03a403d8b8c20b0410b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e01');
INSERT INTO frank.sheet VALUES (1, 2, false, 0, '\x0201072edd74bc18be51d7f3384ba1203b26215eb30d25369706316d0d174ef7ec1b132e020305268f0ba77278ca4b3f1b8fd1ea63567ecbee205b2c794fb4a4e763c66b21d5b307', '\x00046d6170731200026d3101', '\x4380fc03ed0302d2b8c40b804010b8a1c4b00de99bdd9901b8a1c4b00de99bdd990100e9afa48e0100e9afa48e017380fc03a403e2b8c40b0410b8a1c4b00de99bdd9901b8a1c4b00de99bdd990100e99bdd9901');
INSERT INTO frank.sheet VALUES (2, 3, false, 0, '\x030100000426e1abb0d2ea04afe65fa55e9462402a20cee0f0a99e4bcca2f693a3ee20e4c86b', '\x00016201', '\x7380fc03a403d8b8c20b0410b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e01');
INSERT INTO frank.sheet VALUES (3, 4, false, 0, '\x030100001262ab351761b77d6aa0f62a203e3782c464441c0ca65c67274a96508d980ced041b030201046c6f67730426e1abb0d2ea04afe65fa55e9462402a20cee0f0a99e4bcca2f693a3ee20e4c86b030301046d617073093c8a4e7167b813b1e2c076d8fb48775d369351dd8325c7fe3503febc0de455be0c', '\x0001610100046c6f67731200046d617073120001620100026d310101013201', '\x7380fc03a403dab8bd0b0410b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e0167ed0302f8ff0480401000e9afa48e0100e9afa48e0100e9afa48e014f0280800280401000ea8796a50100ea8796a50100e9afa48e0100e9afa48e017380fc03a403d8b8c20b0410b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e017380fc03a403e2b8c40b0410b8a1c4b00de99bdd9901b8a1c4b00de99bdd990100e99bdd99017f12041000ea8796a50100ea8796a50100ea8796a501');
INSERT INTO frank.sheet VALUES (3, 5, false, 0, '\x00012756605121fb39d7cb007d3dfcdb31d00203052c8058645d289c00d3158b230f6cba94c0f17fcb9d6054da64f54c044084364469', '\x00026d3101', '\x5380fc03a403e2b8c40b0810b8a1c4b00dec83f0bf01b8a1c4b00dec83f0bf0100e99bdd990100e99bdd9901');
INSERT INTO frank.sheet VALUES (4, 6, false, 0, '\x030100000426e1abb0d2ea04afe65fa55e9462402a20cee0f0a99e4bcca2f693a3ee20e4c86b', '\x00016201', '\x7380fc03a403d8b8c20b0410b8a1c4b00de9afa48e01b8a1c4b00de9afa48e0100e9afa48e01');
INSERT INTO frank.stamp VALUES (1, 2, '\x00000000000000009a8454afca550d3ac91e12264c074f666b95cd2c7653485b');
INSERT INTO frank.stamp VALUES (2, 3, '\x0000000000000000c91e12264c074f66');
INSERT INTO frank.stamp VALUES (3, 5, '\x00000000000000009a8454afca550d3ac91e12264c074f66dcb375cdb5054343');
INSERT INTO frank.stamp VALUES (4, 6, '\x0000000000000000c91e12264c074f66');
INSERT INTO frank.volume VALUES (1, 'ef53-ce1fcb3f8bb80bdc', 65024);
INSERT INTO frank.volume VALUES (2, 'ef53-ce1fcb3f8bb80bdc', 65024);
INSERT INTO frank.volume VALUES (3, 'ef53-ce1fcb3f8bb80bdc', 65024);
INSERT INTO frank.volume VALUES (4, 'ef53-ce1fcb3f8bb80bdc', 65024);
ALTER TABLE ONLY frank.about
    ADD CONSTRAINT about_pkey PRIMARY KEY (one);
ALTER TABLE ONLY frank.band_part
    ADD CONSTRAINT band_part_pkey PRIMARY KEY (place, record, layer, n, part);
ALTER TABLE ONLY frank.band
    ADD CONSTRAINT band_pkey PRIMARY KEY (place, record, layer, n);
ALTER TABLE ONLY frank.counter
    ADD CONSTRAINT counter_pkey PRIMARY KEY (name);
ALTER TABLE ONLY frank.mismatch
    ADD CONSTRAINT mismatch_pkey PRIMARY KEY (place, way);
ALTER TABLE ONLY frank.place
    ADD CONSTRAINT place_host_path_key UNIQUE (host, path);
ALTER TABLE ONLY frank.place
    ADD CONSTRAINT place_pkey PRIMARY KEY (id);
ALTER TABLE ONLY frank.problem
    ADD CONSTRAINT problem_pkey PRIMARY KEY (place, record, n);
ALTER TABLE ONLY frank.record
    ADD CONSTRAINT record_pkey PRIMARY KEY (place, number);
ALTER TABLE ONLY frank.reread
    ADD CONSTRAINT reread_pkey PRIMARY KEY (place, n);
ALTER TABLE ONLY frank.sheet
    ADD CONSTRAINT sheet_pkey PRIMARY KEY (place, record, layer, n);
ALTER TABLE ONLY frank.stamp
    ADD CONSTRAINT stamp_pkey PRIMARY KEY (place);
ALTER TABLE ONLY frank.volume
    ADD CONSTRAINT volume_pkey PRIMARY KEY (place, id);
