"""The shop's records in MariaDB: models, numbered migrations, repositories. Depends on the core only."""
