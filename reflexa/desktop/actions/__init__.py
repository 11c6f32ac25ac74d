"""Commands, one file a menu: menus, shortcuts and command search are all made from these lists."""
