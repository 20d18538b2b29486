"""Invented names."""

GIVEN = """Ines Bo Jun Tomas Rosa Ada Mirko Sela Oda Piet Lena Amara Kofi Edda Niall Yusuf Greta Hamza Ilse Joren Kaya Liam Maren
Noor Otis Petra Quin Runa Silas Tove Ursa Vito Wanda Xenia Yara Zeno Alba Birk Cleo Dario Elin Finn Gwen Hugo Iris Jonas Karla
Leif Mila Nils Orla Pavel Rhea Sven Tilda Uma Vera Wim Ylva Zora Arlo Britt Cato Dora Emil Fenja Goran Hedda Ivo Jana""".split()

FAMILY = """Okoro Tarn Pellam Aldery Quill Marsh Venn Harrow Sedge Lowther Brack Fenwick Dunmore Kestrel Ambley Corran Skerry Holt
Penrow Wray Tiller Osmond Garrick Strand Calder Moss Ferrow Hale Ingram Jessop Kerrow Lomas Mardle Nesfield Orrick Pask Quarrie
Reddy Sorley Thrale Underby Vasey Wick Yarrow Zell Abara Bello Chukwu Dahl Eriksen Farouk Gallo Haddad Ibarra Jansky Kowal
Lindqvist Mbeki Novak Ortega Petrov Rahman Santos Tanaka Ulrich Varga Wolff Ziegler""".split()
