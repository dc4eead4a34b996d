"""Brown stock washing and oxygen delignification."""
