class Station:
    def __init__(self, name, platform):
        self.name = name

    def stop_station(self):
        print("all change")
