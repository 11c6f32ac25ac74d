from reflexa.cli import main

main()
