drop schema public cascade; create schema public;
